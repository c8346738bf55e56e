import { parseFields } from '../../language/templates/fields.ts';
import { TemplateError } from '../../language/templates/render.ts';
import { isHost, renderBase, renderTarget, withScheme } from '../../language/templates/target.ts';
import { parseTemplateText, referencesOf, type Template } from '../../language/templates/template.ts';
import { SourceError } from '../../model/finding.ts';
import type { Effective } from '../../settings/effective.ts';
import type { Level } from '../../settings/level.ts';
import { percentDecoded } from '../../text/percent.ts';
import type { PrepareContext } from '../step.ts';
import type { PlannedRequest } from './planned-request.ts';
import { isAnotherType, prepareBody } from './prepare-body.ts';
import type { WrittenRequest } from './request.ts';

const alwaysCredentials: ReadonlySet<string> = new Set(['authorization', 'cookie', 'proxy-authorization']);

/** Makes a request ready to be filled. Throws the SourceError that keeps it from being made; the others are added. */
export function prepareRequest(
  step: WrittenRequest,
  { effective, source, secretNames, add }: PrepareContext,
): PlannedRequest {
  const { base, transport } = effective;
  const relative = step.targetText.startsWith('/');
  const [first] = step.target.parts;
  const mayBeRelative = typeof first === 'object' && first.asIs;
  if (relative && !base) {
    throw new SourceError(
      'base-missing',
      step.targetRange,
      "There is no address to put before this target: no 'base' is set.",
      'Set base: "http://…" in mervok.yaml or in the front matter, or write the whole address.',
    );
  }
  const headers = headersOf(step, effective);
  const given = headers.find(field => field.name.toLowerCase() === 'content-type')?.value;
  const body = step.body && prepareBody(step.body, given, source.file, add);
  const auth = authOf(step, effective);
  const credentials = headers
    .filter(({ value }) => referencesOf(value).some(({ name }) => secretNames.has(name)))
    .map(({ name }) => name.toLowerCase());
  return {
    method: step.method,
    ...(base && { base: base.template }),
    url(context) {
      const target = renderTarget(step.target, context);
      if (relative) return renderBase(base!.template, context).replace(/\/$/, '') + target;
      return mayBeRelative
        ? absolute(target, step, () => base && renderBase(base.template, context))
        : target;
    },
    query: queryOf(step, effective, add),
    headers,
    credentials:
      credentials.length === 0 ? alwaysCredentials : new Set([...alwaysCredentials, ...credentials]),
    ...(auth && { auth }),
    ...(body && { body }),
    transport,
  };
}

/**
 * A value that begins a target is often what a response calls the next page, without its host. It stands behind the base,
 * whose path it may begin with already.
 */
function absolute(target: string, { targetText }: WrittenRequest, baseOf: () => string | undefined): string {
  if (/^[a-z][a-z0-9+.-]*:/i.test(target) && !isHost(target)) return target;
  const base = baseOf()?.replace(/\/$/, '');
  if (base === undefined)
    throw new TemplateError(
      `${targetText} is '${target}', which begins with neither http:// nor https://, and no 'base' is set that could stand before it.`,
    );
  if (isHost(target) && !target.startsWith('/'))
    throw new TemplateError(`${targetText} is '${target}', whose scheme is missing: ${withScheme(target)}`);
  if (!target.startsWith('/')) return `${base}${target.startsWith('?') ? '' : '/'}${target}`;
  const [, origin = '', path = ''] = /^([a-z][a-z0-9+.-]*:\/\/[^/?#]*)([^?#]*)/i.exec(base) ?? [];
  const isBelow =
    path !== '' && (target === path || target.startsWith(`${path}/`) || target.startsWith(`${path}?`));
  return (isBelow ? origin : base) + target;
}

/** Those of the settings, but for what the request says itself. */
function headersOf(step: WrittenRequest, { headers }: Effective): { name: string; value: Template }[] {
  const own = ownHeaders(step);
  // A part of what is compressed is of no use to anybody, unless it is asked for.
  const wantsPart = own.has('range') || headers.some(({ header }) => header.name.toLowerCase() === 'range');
  const yields = ({ name, value }: { name: string; value: Template }) =>
    own.has(name.toLowerCase()) || (/^content-type$/i.test(name) && isAnotherType(value, step.body));
  return [
    ...headers
      .filter(({ header, level }) => !yields(header) && !(wantsPart && isOwnEncoding(header.name, level)))
      .map(({ header }) => ({ name: header.name, value: header.value })),
    ...step.headers.map(({ name, value }) => ({ name, value })),
  ];
}

/** What Mervok says by itself that it understands. */
function isOwnEncoding(name: string, { source }: Level): boolean {
  return name === 'Accept-Encoding' && source.file === '';
}

function ownHeaders(step: WrittenRequest): Set<string> {
  return new Set(step.headers.map(header => header.name.toLowerCase()));
}

/** What a request says itself wins over how its levels sign in. */
export function authOf(step: WrittenRequest, { auth }: Effective): PlannedRequest['auth'] {
  return auth && !auth.auth.yieldsTo(ownHeaders(step)) ? auth.auth : undefined;
}

/** A `form query`, and those of the settings whose names the request does not have itself. */
function queryOf(
  step: WrittenRequest,
  effective: Effective,
  add: PrepareContext['add'],
): PlannedRequest['query'] {
  const { fields = [], errors = [] } = step.query ? parseFields(step.query, 'form') : {};
  add(errors);
  const own = [...fields.map(field => ({ name: field.name, values: [field.value] }))];
  return [
    ...outerQuery(step, effective).map(({ name, values }) => ({ name: plainTemplate(name), values })),
    ...own,
  ];
}

/** What the settings add to the query of a request. */
export function outerQuery(step: WrittenRequest, { query }: Effective): Effective['query'] {
  if (query.length === 0) return query;
  const written = /\?.*$/.exec(step.targetText)?.[0] ?? '';
  const inTarget = new Set(
    [...written.matchAll(/[?&]([^=&{}]+)=?/g)].map(([, name]) => percentDecoded(name!)),
  );
  for (const part of step.target.parts)
    if (typeof part !== 'string' && (part.operator === '?' || part.operator === '&'))
      for (const { reference } of part.variables) inTarget.add(reference.path.at(-1) ?? reference.name);
  for (const line of step.query?.text.split('\n') ?? []) inTarget.add(line.split('=')[0]!.trim());
  return query.filter(({ name }) => !inTarget.has(name));
}

function plainTemplate(text: string): Template {
  return parseTemplateText(text.replaceAll('{', '\\{'), 'text', { start: 0, end: 0 });
}
