import { lookedAt } from '../../language/looked-at.ts';
import type { Package } from '../../language/packages.ts';
import { packagesOf } from '../../language/packages.ts';
import { referencesOfTarget, renderBase } from '../../language/templates/target.ts';
import { parseTemplate, referencesOf } from '../../language/templates/template.ts';
import { referencesIn, sourcesIn } from '../../language/walk.ts';
import { SourceError } from '../../model/finding.ts';
import { faultWords } from '../../model/http-messages.ts';
import { type Place, placeOf } from '../../model/place.ts';
import type { Source } from '../../model/source.ts';
import type { Effective } from '../../settings/effective.ts';
import { expectsFault } from '../operation.ts';
import type { Above } from '../out-of-place.ts';
import { planRepeat } from '../repetition.ts';
import type { Attach, OperationKind, PlannedStep, PrepareContext, UseReferences } from '../step.ts';
import { PlannedExample } from './example/planned-example.ts';
import { type HttpExample, isExampleResponse, readExample } from './example/read-example.ts';
import { foreignReferencesInRequest } from './foreign-references.ts';
import type { PlannedDefinition } from './hold-answer.ts';
import { HttpStep } from './http-step.ts';
import type { PlannedBody } from './planned-request.ts';
import { filesOfBody, literalTextOf, needsXml, referencesOfBody } from './prepare-body.ts';
import { authOf, outerQuery, prepareRequest } from './prepare-request.ts';
import { readRequest } from './read-request.ts';
import { type BodyForm, bodyForms, exampleForms, type WrittenRequest } from './request.ts';
import { secretsInRequest } from './written-secrets.ts';

/** Methods that change nothing (RFC 9110, 9.2.1). */
const safe = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/** What statements below a request look at: its response, and itself as it was sent. */
const offers = [
  ...['path', 'xml', 'html', 'body', 'bytes', 'url', 'location', 'header', 'cookie', 'link'],
  ...['status', 'reason', 'version', 'time', 'size', 'fault', 'hops', 'sent', 'lines', 'csv'],
];

/** What the checks of settings look at. */
export const anyRequest: Above = { title: 'a request', offers, faults: faultWords };

export const httpKind: OperationKind<WrittenRequest, HttpExample> = {
  type: 'http',
  fence: 'http',
  read({ content, lines }) {
    return isExampleResponse(content)
      ? { isExample: true, ...readExample(content, lines) }
      : readRequest(content);
  },
  attachments: {
    ...Object.fromEntries(bodyForms.map(form => [`${form} body`, attachBody(form)])),
    'json variables': (request, { content }) =>
      request.body?.fence?.form === 'graphql'
        ? { ...request, body: { ...request.body, variables: content } }
        : 'Variables belong to a `graphql body`, which stands above them.',
    'form query': (request, { content }) =>
      request.query ? 'This request has a `form query` already.' : { ...request, query: content },
  },
  exampleAttachments: Object.fromEntries(exampleForms.map(form => [`${form} body`, attachExampleBody(form)])),
  offers: () => offers,
  faults: faultWords,
  title: ({ method, targetText }) => `${method} ${targetText}`,
  effect: ({ method }) => (safe.has(method) ? undefined : `its ${method} may change something`),
  unchecked: (_request, { checks }) =>
    checks.length > 0
      ? undefined
      : { message: 'Nothing is checked after this request.', remedy: 'Add at least: status = 200' },
  uses,
  packages(request, effective, needed: Set<Package>) {
    if (request.repeat) packagesOf(request.repeat, needed);
    const given =
      request.headers.find(header => header.name.toLowerCase() === 'content-type')?.value ??
      effective.headers.find(({ header }) => header.name.toLowerCase() === 'content-type')?.header.value;
    if (needsXml(request, given && literalTextOf(given))) needed.add('xml');
    for (const { headers, body } of (request.examples ?? []) as readonly HttpExample[]) {
      const type = headers.find(header => header.name.toLowerCase() === 'content-type')?.value;
      if (needsXml({ body }, type && literalTextOf(type))) needed.add('xml');
    }
  },
  prepare,
  writtenSecrets: secretsInRequest,
  foreignReferences: foreignReferencesInRequest,
};

function attachBody(form: BodyForm): Attach<WrittenRequest> {
  return (request, { content, more }) => {
    if (request.body) return 'This request has a body already.';
    const fence = { form, crlf: more === 'crlf' };
    return { ...request, body: { excerpt: content, start: 0, fence } };
  };
}

function attachExampleBody(form: BodyForm): Attach<HttpExample> {
  return (example, { content, more }) => {
    if (example.body) return 'This example response has a body already.';
    return { ...example, body: { excerpt: content, start: 0, fence: { form, crlf: more === 'crlf' } } };
  };
}

function uses(request: WrittenRequest, effective: Effective, use: UseReferences): void {
  if (request.repeat) use(referencesIn(request.repeat));
  use(referencesOfTarget(request.target));
  const [first] = request.target.parts;
  // Paths of a definition count from what stands before the targets, unless it says otherwise.
  const at = effective.definition?.definition.at;
  if (at) use(referencesOf(at), effective.definition!.level.source);
  const countsFromBase = effective.definition !== undefined && !at;
  // A value that begins a target may be relative.
  if (
    effective.base &&
    (countsFromBase || request.targetText.startsWith('/') || (typeof first === 'object' && first.asIs))
  )
    use(referencesOf(effective.base.template), effective.base.level.source);
  if (effective.headers.length > 0) {
    const own = new Set(request.headers.map(header => header.name.toLowerCase()));
    for (const { header, level } of effective.headers)
      if (!own.has(header.name.toLowerCase())) use(referencesOf(header.value), level.source);
  }
  for (const header of request.headers) use(referencesOf(header.value));
  if (request.body) use(referencesOfBody(request.body));
  if (request.query) use(referencesOf(parseTemplate(request.query, 0, request.query.text.length, 'text')));
  for (const { values, level } of outerQuery(request, effective))
    use(values.flatMap(referencesOf), level.source);
  const auth = authOf(request, effective);
  if (auth) use(auth.templates.flatMap(referencesOf), effective.auth!.level.source);
  const { proxy, tls } = effective.transport;
  if (effective.tlsLevel) use(Object.values(tls.parts).flatMap(referencesOf), effective.tlsLevel.source);
  if (proxy && proxy !== 'none') use(referencesOf(proxy), effective.proxyLevel!.source);
  for (const { check, level } of effective.checks) use(referencesIn(check), level.source);
}

function prepare(request: WrittenRequest, context: PrepareContext): readonly PlannedStep[] {
  try {
    const planned = prepareRequest(request, context);
    if (planned.body) context.add(unusableFiles(request, planned.body, context));
    const repetition = request.repeat && planRepeat(request.repeat, context);
    const place = placeOf(context.source, request.range);
    const definition = plannedDefinition(place, context);
    const step = new HttpStep(planned, place, {
      title: httpKind.title(request),
      expectsFault: expectsFault(context),
      repetition,
      definition,
      examples: examplesOf(request, context.source),
    });
    return [step, ...context.levelChecks];
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    context.add([error]);
    return [];
  }
}

function examplesOf({ examples = [], method }: WrittenRequest, source: Source): PlannedExample[] {
  return examples.map(each => new PlannedExample(each as HttpExample, source, method));
}

/** What the response is held to. */
function plannedDefinition(
  place: Place,
  { effective, holderOf, statementsBelow }: PrepareContext,
): PlannedDefinition | undefined {
  const { definition: setting, base, checks } = effective;
  const holder = setting && holderOf(setting.definition.file);
  if (!holder) return undefined;
  const at = setting.definition.at ?? base?.template;
  const statements = [...statementsBelow, ...checks.map(({ check }) => check)];
  return {
    holder,
    file: setting.definition.file,
    level: setting.level.name,
    at: context => at && renderBase(at, context),
    place,
    looked: [...new Set(statements.flatMap(lookedAt))],
  };
}

/** Files that a body names and that cannot be sent. */
function unusableFiles(
  { body: written }: WrittenRequest,
  body: PlannedBody,
  { hasFile, refusesFile }: PrepareContext,
): SourceError[] {
  if (!hasFile) return [];
  return filesOfBody(body).flatMap(({ path, range }) => {
    const at = range ?? written!.excerpt.range(0, written!.excerpt.text.length);
    if (hasFile(path)) {
      const refusal = refusesFile?.(path);
      return refusal === undefined ? [] : [new SourceError('file-missing', at, refusal)];
    }
    const message = `There is no file '${path}' in the collection.`;
    return [new SourceError('file-missing', at, message, 'Its path is relative to the page.')];
  });
}

/** Whether a statement says that the response that it looks at sets a cookie. */
export function saysThatCookieIsSet(statement: Parameters<typeof sourcesIn>[0]): boolean {
  return sourcesIn(statement).some(
    source =>
      !source.sent &&
      (source.form === 'cookie' ||
        (source.form === 'header' && source.argument?.toLowerCase() === 'set-cookie')),
  );
}
