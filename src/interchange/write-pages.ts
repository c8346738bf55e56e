import { STATUS_CODES } from 'node:http';
import { Exact } from '../core/model/value.ts';
import { fence, withoutReferences } from '../core/steps/http/write-request.ts';
import { numberText } from '../core/values/number.ts';
import { headerValue, oneLine } from './field-lines.ts';
import type {
  ImportedAuth,
  ImportedCase,
  ImportedCollection,
  ImportedPage,
  ImportedScalar,
  ImportedSecret,
} from './imported.ts';
import { jsonText } from './json-text.ts';
import { headingText, inactiveProse } from './plain-text.ts';

/** A page as a person would write it. */
export function writePage(page: ImportedPage): string {
  const settings = [
    ...(page.base === undefined ? [] : [`base: ${yamlText(page.base)}`]),
    ...(page.auth ? authLines(page.auth) : []),
    ...namespaceLines(page.namespaces),
    ...(page.headers
      ? ['headers:', ...page.headers.map(([name, value]) => `  ${name}: ${yamlText(headerValue(value))}`)]
      : []),
    ...(page.variables.length > 0
      ? ['variables:', ...page.variables.map(([name, value]) => `  ${name}: ${literalText(value)}`)]
      : []),
  ];
  const front = settings.length === 0 ? [] : [`---\n${settings.join('\n')}\n---`];
  const prose = page.description === undefined ? [] : [inactiveProse(page.description)];
  const head = [...front, `# ${headingText(page.title)}`, ...prose.filter(text => text !== '')].join('\n\n');
  return `${[head.replace('---\n\n#', '---\n#'), ...page.cases.map(writeCase)].join('\n\n')}\n`;
}

/** A case, from its heading on. */
export function writeCase(each: ImportedCase): string {
  const { request, example, statements } = each;
  const prose = each.description === undefined ? '' : inactiveProse(each.description);
  const settings = [
    ...(each.base === undefined ? [] : [`base: ${yamlText(each.base)}`]),
    ...(each.auth ? authLines(each.auth) : []),
    ...(each.staysHere ? ['redirects: 0'] : []),
  ];
  const before = [
    ...(each.cleansUp ? ['cleanup'] : []),
    ...(each.values ?? []).map(([name, value]) => `let ${name} = ${jsonText(value)}`),
  ];
  return (
    [
      `## ${headingText(each.title)}`,
      ...(prose === '' ? [] : [prose]),
      ...(settings.length > 0 ? [fence('yaml settings', settings.join('\n'))] : []),
      ...(before.length > 0 ? [fence('mervok', before.join('\n'))] : []),
      ...requestFences(request),
      ...(statements.length > 0 ? [fence('mervok', statements.join('\n'))] : []),
      ...(example ? [exampleFence(example)] : []),
    ]
      .join('\n\n')
      // Of Markdown it can be no part.
      .replaceAll('\0', '\ufffd')
  );
}

function requestFences({ method, target, headers, query, body }: ImportedCase['request']): string[] {
  const head = [
    `${method} ${target}`,
    ...headers.map(([name, value]) => `${name}: ${headerValue(value)}`),
  ].join('\n');
  const more = query === undefined ? [] : [fence('form query', query)];
  if (!body) return [fence('http', head), ...more];
  if (body.form === undefined) return [fence('http', `${head}\n\n${body.text}`), ...more];
  const { variables } = body;
  return [
    fence('http', head),
    ...more,
    fence(`${body.form} body`, body.text),
    ...(variables === undefined ? [] : [fence('json variables', variables)]),
  ];
}

function exampleFence({ status, contentType, body }: NonNullable<ImportedCase['example']>): string {
  const reason = STATUS_CODES[status];
  const head = [
    `HTTP/1.1 ${status}${reason === undefined ? '' : ` ${reason}`}`,
    ...(contentType === undefined ? [] : [`Content-Type: ${contentType}`]),
  ];
  return fence('http', body === undefined ? head.join('\n') : `${head.join('\n')}\n\n${body}`);
}

/** The settings of a collection. */
export function writeSettings(collection: ImportedCollection): string {
  const { title, base, environments, auth, definition, namespaces = [] } = collection;
  const chosen = environments.find(({ isDefault }) => isDefault);
  const lines = [
    `title: ${yamlText(title)}`,
    ...(base === undefined ? [] : [`base: ${yamlText(base)}`]),
    ...(definition === undefined
      ? []
      : ['', '# Every exchange is held to it.', `definition: ${yamlText(definition)}`]),
    ...(auth ? ['', ...authLines(auth)] : []),
    ...(namespaces.length > 0 ? ['', ...namespaceLines(namespaces)] : []),
    ...(environments.length > 0 ? ['', 'environments:'] : []),
    ...environments.flatMap(({ name, about, variables }) => [
      ...(about === undefined ? [] : [`  # ${oneLine(about)}`]),
      `  ${name}:`,
      ...variables.map(([variable, value]) => `    ${variable}: ${literalText(value)}`),
    ]),
    ...(chosen
      ? [`environment: ${chosen.name}`]
      : environments.length > 0
        ? ['# None is chosen by itself, so that nothing runs against the wrong one: mervok run @NAME']
        : []),
  ];
  return `${lines.join('\n')}\n`;
}

/** The file that no one commits. */
export function writeSecrets(secrets: readonly ImportedSecret[]): string {
  return `# Secrets, which are masked everywhere and belong to nobody else: Git leaves this file out.\nvariables:\n${secretLines(secrets)}`;
}

export function secretLines(secrets: readonly ImportedSecret[]): string {
  return secrets
    .map(
      ({ name, about, value = 'to-be-filled-in' }) =>
        `  # ${oneLine(about)}\n  ${name}: ${literalText(value)}\n`,
    )
    .join('');
}

function namespaceLines(namespaces: ImportedCollection['namespaces'] = []): string[] {
  if (namespaces.length === 0) return [];
  return ['namespaces:', ...namespaces.map(([prefix, name]) => `  ${prefix}: ${yamlText(name)}`)];
}

export function authLines(auth: ImportedAuth): string[] {
  if (auth.kind === 'none') return ['auth: none'];
  if (auth.kind === 'bearer') return [`auth: { bearer: ${yamlText(auth.value)} }`];
  const fields = auth.fields.map(([name, value]) => `${name}: ${yamlText(value)}`).join(', ');
  return [`auth: { ${auth.kind}: { ${fields} } }`];
}

/** A value in which nothing is a reference. */
export function literalText(value: ImportedScalar): string {
  return yamlText(typeof value === 'string' ? withoutReferences(value) : value);
}

/** A scalar of YAML; in quotes where it would be anything else than what it is. */
export function yamlText(value: ImportedScalar): string {
  if (value instanceof Exact) return numberText(value);
  if (typeof value !== 'string') return String(value);
  const isPlain =
    /^[A-Za-z][\w ./-]*$/.test(value) &&
    !/^(?:true|false|null|yes|no|on|off|y|n)$/i.test(value) &&
    !/\s$|: | #/.test(value);
  return isPlain ? value : JSON.stringify(value).replace(/[\u007f-\u009f\u2028\u2029]/g, escaped);
}

function escaped(character: string): string {
  return `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`;
}
