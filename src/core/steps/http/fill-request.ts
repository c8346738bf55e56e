import type { HttpStep, PlannedBody } from '../../analysis/plan.ts';
import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { encodeForm, encodeQuery } from '../../language/templates/encode.ts';
import type { Field } from '../../language/templates/fields.ts';
import { refuseValue, render, TemplateError, valueFor } from '../../language/templates/render.ts';
import type { Template } from '../../language/templates/template.ts';
import type { BodyPart, Header } from '../../model/http.ts';
import { passwordsIn } from '../../secrecy/passwords.ts';
import type { Auth } from '../../settings/transport.ts';
import { textOf } from '../../values/text.ts';
import type { CookieJar, ExchangedAuth, OutgoingRequest } from './http-port.ts';
import { resolvePath, typeOfFile } from './prepare-body.ts';
import { RequestSecrecy } from './request-secrecy.ts';

export interface Filled {
  readonly request: OutgoingRequest;
  /** What the authorization holds that must not be shown. */
  readonly secrets: readonly string[];
}

/** Fills a request with the values of a evaluation. Throws TemplateError, before anything is sent. */
export function fillRequest(
  step: HttpStep,
  evaluation: EvaluationContext,
  jar?: CookieJar,
  holdsSecret?: (text: string) => boolean,
): Filled {
  const headers: Header[] = [];
  for (const { name, value } of step.headers) {
    if (name.length === 6 && name.toLowerCase() === 'cookie') refuseMoreCookies(value, evaluation);
    headers.push([name, render(value, evaluation)]);
  }
  const { proxy, timeout, redirects, tls, retry, limits, cookies } = step.transport;
  const { method, credentials } = step;
  // This is made for every request, so without copies.
  const request: Draft = {
    method,
    url: step.url(evaluation),
    headers,
    credentials,
    timeout,
    redirects,
    tls,
    limits,
  };
  const body = step.body && fillBody(step.body, contentTypeOf(headers), evaluation);
  if (body) {
    request.body = body.parts;
    if (body.contentType !== undefined) setContentType(headers, body.contentType);
  }
  const query = step.query.flatMap(({ name, values }) =>
    values.map(value => pairOf(render(name, evaluation), render(value, evaluation))),
  );
  const auth = step.auth ? fillAuth(step.auth, evaluation) : nothing;
  if (auth !== nothing) addAuth(request, auth);
  if (query.length + auth.query.length > 0) request.url = withQuery(request.url, [...query, ...auth.query]);
  if (proxy) request.proxy = proxy === 'none' ? proxy : render(proxy, evaluation);
  if (retry) request.retry = retry;
  if (jar && cookies) request.jar = jar;
  if (holdsSecret) request.secrecy = new RequestSecrecy(step, evaluation, holdsSecret);
  const addresses = [
    request.url,
    request.proxy ?? '',
    auth.exchanged?.kind === 'oauth2' ? auth.exchanged.fields.get('token-url')! : '',
  ];
  return { request, secrets: [...auth.secrets, ...addresses.flatMap(passwordsIn)] };
}

/** A reference behind the name of a cookie gives its value, and no second one. */
function refuseMoreCookies({ parts }: Template, evaluation: EvaluationContext): void {
  for (const [index, part] of parts.entries()) {
    const before = parts[index - 1];
    if (typeof part === 'string' || typeof before !== 'string' || !before.includes('=')) continue;
    const text = textOf(valueFor(part.reference, evaluation)) ?? '';
    if (!part.reference.raw && /[;,]/.test(text))
      refuseValue(part.reference, evaluation, 'holds a semicolon or a comma, which would end the cookie');
  }
}

type Draft = { -readonly [Key in keyof OutgoingRequest]: OutgoingRequest[Key] } & { headers: Header[] };

function addAuth(request: Draft, { headers, cookie, exchanged }: FilledAuth): void {
  request.headers.push(...headers);
  if (headers.length > 0) request.credentials = credentialsWith(request.credentials, headers);
  if (cookie !== undefined) request.headers = withCookie(request.headers, cookie);
  if (exchanged) request.auth = exchanged;
}

function pairOf(name: string, value: string): string {
  return `${encodeQuery(name)}=${encodeQuery(value)}`;
}

/** Adds pairs to the query of a URL, before its fragment. */
function withQuery(url: string, pairs: readonly string[]): string {
  if (pairs.length === 0) return url;
  const hash = url.indexOf('#');
  const [address, fragment] = hash < 0 ? [url, ''] : [url.slice(0, hash), url.slice(hash)];
  const joint = !address.includes('?') ? '?' : /[?&]$/.test(address) ? '' : '&';
  return address + joint + pairs.join('&') + fragment;
}

function withCookie(headers: readonly Header[], cookie: string): Header[] {
  const at = headers.findIndex(([name]) => name.toLowerCase() === 'cookie');
  if (at < 0) return [...headers, ['Cookie', cookie]];
  return headers.map(([name, value], index) =>
    index === at ? [name, `${value}; ${cookie}`] : [name, value],
  );
}

function credentialsWith(credentials: ReadonlySet<string>, headers: readonly Header[]): Set<string> {
  return new Set([...credentials, ...headers.map(([name]) => name.toLowerCase())]);
}

function contentTypeOf(headers: readonly Header[]): string | undefined {
  return headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1];
}

/** The type stands where it was written; a multipart body adds its boundary to it. */
function setContentType(headers: Header[], contentType: string): void {
  const at = headers.findIndex(([name]) => name.toLowerCase() === 'content-type');
  if (at < 0) headers.push(['Content-Type', contentType]);
  else headers[at] = [headers[at]![0], contentType];
}

// Authorization

interface FilledAuth {
  readonly headers: readonly Header[];
  readonly query: readonly string[];
  readonly cookie?: string;
  readonly exchanged?: ExchangedAuth;
  readonly secrets: readonly string[];
}

const nothing: FilledAuth = { headers: [], query: [], secrets: [] };

function fillAuth(auth: Auth, evaluation: EvaluationContext): FilledAuth {
  switch (auth.kind) {
    case 'none':
      return nothing;
    case 'bearer': {
      const token = headerText(auth.token, evaluation);
      return { ...nothing, headers: [['Authorization', `Bearer ${token}`]], secrets: [token] };
    }
    case 'basic': {
      const [user, password] = [headerText(auth.user, evaluation), render(auth.password, evaluation)];
      if (user.includes(':'))
        throw new TemplateError(
          `The user '${user}' of basic authorization holds a colon, which ends it there.`,
        );
      const text = Buffer.from(`${user}:${password}`, 'utf8').toString('base64');
      return { ...nothing, headers: [['Authorization', `Basic ${text}`]], secrets: [password, text] };
    }
    case 'digest': {
      const [user, password] = [headerText(auth.user, evaluation), render(auth.password, evaluation)];
      return { ...nothing, exchanged: { kind: 'digest', user, password }, secrets: [password] };
    }
    case 'api-key': {
      const [name, value] = [headerText(auth.name, evaluation), headerText(auth.value, evaluation)];
      if (auth.in === 'cookie') refuseInCookie(name, value);
      const place = {
        header: { headers: [[name, value]] as Header[] },
        query: { query: [pairOf(name, value)] },
        cookie: { cookie: `${name}=${value}` },
      };
      return { ...nothing, ...place[auth.in], secrets: [value] };
    }
    case 'oauth2': {
      const fields = new Map([...auth.fields].map(([key, value]) => [key, render(value, evaluation)]));
      const secrets = ['client-secret', 'password', 'refresh-token'].flatMap(key => fields.get(key) ?? []);
      return { ...nothing, exchanged: { kind: 'oauth2', flow: auth.flow, fields }, secrets };
    }
    default:
      return auth satisfies never;
  }
}

/** RFC 6265, 4.1.1: what would end the cookie, or begin another. */
function refuseInCookie(name: string, value: string): void {
  if (/[\s;,="]/.test(name) || /[\s;,"\\]/.test(value))
    throw new TemplateError(
      'A value of the authorization holds white space, a quote, a comma or a semicolon, which cannot stand in a cookie.',
    );
}

function headerText(template: Template, evaluation: EvaluationContext): string {
  const text = render(template, evaluation);
  if (/[\r\n\0]/.test(text))
    throw new TemplateError(
      'A value of the authorization holds a line end or a NUL, which cannot stand in a header.',
    );
  return text;
}

// Bodies

interface FilledBody {
  readonly parts: readonly BodyPart[];
  readonly contentType?: string;
}

/** @param given the Content-Type that a header gives */
function fillBody(body: PlannedBody, given: string | undefined, evaluation: EvaluationContext): FilledBody {
  const typed = body.contentType === undefined ? {} : { contentType: body.contentType };
  switch (body.kind) {
    case 'text': {
      const text = render(body.template, evaluation);
      return { parts: [body.crlf ? text.replace(/\r?\n/g, '\r\n') : text], ...typed };
    }
    case 'form': {
      const lines = body.fields.map(
        ({ name, value }) =>
          `${encodeForm(render(name, evaluation))}=${encodeForm(render(value, evaluation))}`,
      );
      return { parts: [lines.join('&')], ...typed };
    }
    case 'multipart':
      return fillMultipart(body.fields, body.folder, given ?? 'multipart/form-data', evaluation);
    case 'graphql': {
      const variables = body.variables ? `,"variables":${render(body.variables, evaluation)}` : '';
      return { parts: [`{"query":${JSON.stringify(body.document)}${variables}}`], ...typed };
    }
    case 'file':
      return { parts: [{ file: filePath(body.path, body.folder, evaluation) }], ...typed };
    default:
      return body satisfies never;
  }
}

function filePath(path: Template, folder: string, evaluation: EvaluationContext): string {
  return resolvePath(folder, render(path, evaluation));
}

/** RFC 7578. A type that is given otherwise, such as multipart/related, keeps its name and gets the boundary. */
function fillMultipart(
  fields: readonly Field[],
  folder: string,
  contentType: string,
  evaluation: EvaluationContext,
): FilledBody {
  const chosen = /;\s*boundary="?([^";\s]+)/i.exec(contentType)?.[1];
  const boundary = chosen ?? `mervok-${evaluation.clockAndRandom.uuid()}`;
  const parts: BodyPart[] = [];
  const add = (text: string) => {
    const last = parts.at(-1);
    if (typeof last === 'string') parts[parts.length - 1] = last + text;
    else parts.push(text);
  };
  for (const { name, value, isFile, type } of fields) {
    const path = isFile ? filePath(value, folder, evaluation) : undefined;
    const file = path === undefined ? '' : `; filename="${quoteName(path.replace(/^.*[/\\]/, ''))}"`;
    const partType = type ?? (path === undefined ? undefined : typeOfFile(path));
    add(
      `--${boundary}\r\nContent-Disposition: form-data; name="${quoteName(render(name, evaluation))}"${file}\r\n`,
    );
    add(`${partType === undefined ? '' : `Content-Type: ${partType}\r\n`}\r\n`);
    if (path === undefined) add(render(value, evaluation));
    else parts.push({ file: path });
    add('\r\n');
  }
  add(`--${boundary}--\r\n`);
  return { parts, contentType: chosen === undefined ? `${contentType}; boundary=${boundary}` : contentType };
}

/** As browsers write names in a form (RFC 7578, 2 and 4.2). */
function quoteName(name: string): string {
  return name.replaceAll('"', '%22').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
}
