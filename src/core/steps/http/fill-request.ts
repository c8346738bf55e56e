import { type FilledAuthorization, nothingAdded } from '../../auth/authorization.ts';
import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { encodeForm, encodeQuery } from '../../language/templates/encode.ts';
import type { Field } from '../../language/templates/fields.ts';
import { refuseValue, render, valueFor } from '../../language/templates/render.ts';
import type { Template } from '../../language/templates/template.ts';
import type { BodyPart, Header } from '../../model/http-messages.ts';
import { passwordsIn } from '../../secrecy/passwords.ts';
import type { Tls, TlsSetting } from '../../settings/transport.ts';
import { resolvePath } from '../../text/paths.ts';
import { textOf } from '../../values/text.ts';
import type { CookieJar, OutgoingRequest } from './http-port.ts';
import type { PlannedBody, PlannedRequest } from './planned-request.ts';
import { typeOfFile } from './prepare-body.ts';
import { RequestSecrecy } from './request-secrecy.ts';

export interface FilledRequest {
  readonly request: OutgoingRequest;
  /** What the authorization holds that must not be shown. */
  readonly secrets: readonly string[];
  /** What is said of the authorization where the request is only shown. */
  readonly note?: Header | undefined;
}

/** Fills a request with the values of a context. Throws TemplateError, before anything is sent. */
export function fillRequest(
  planned: PlannedRequest,
  context: EvaluationContext,
  jar?: CookieJar,
  holdsSecret?: (text: string) => boolean,
): FilledRequest {
  const headers: Header[] = [];
  for (const { name, value } of planned.headers) {
    if (name.length === 6 && name.toLowerCase() === 'cookie') refuseMoreCookies(value, context);
    headers.push([name, render(value, context)]);
  }
  const { proxy, timeout, redirects, tls, http, retry, limits, cookies } = planned.transport;
  const { method, credentials } = planned;
  // This is made for every request, so without copies.
  const request: Draft = {
    method,
    url: planned.url(context),
    headers,
    credentials,
    timeout,
    redirects,
    tls: fillTls(tls, context),
    limits,
  };
  const body = planned.body && fillBody(planned.body, contentTypeOf(headers), context);
  if (body) {
    request.body = body.parts;
    if (body.contentType !== undefined) setContentType(headers, body.contentType);
  }
  const query = planned.query.flatMap(({ name, values }) =>
    values.map(value => pairOf(render(name, context), render(value, context))),
  );
  const auth = planned.auth ? planned.auth.fill(context) : nothingAdded;
  if (auth !== nothingAdded) addAuth(request, auth);
  const added = auth.query.map(([name, value]) => pairOf(name, value));
  if (query.length + added.length > 0) request.url = withQuery(request.url, [...query, ...added]);
  if (proxy) request.proxy = proxy === 'none' ? proxy : render(proxy, context);
  if (http) request.http = http;
  if (retry) request.retry = retry;
  if (jar && cookies) request.jar = jar;
  if (holdsSecret) request.secrecy = new RequestSecrecy(planned, context, holdsSecret);
  const addresses = [request.url, request.proxy ?? '', ...(auth.addresses ?? [])];
  return { request, secrets: [...auth.secrets, ...addresses.flatMap(passwordsIn)], note: auth.note };
}

/** The same object for the same texts, so that a connection that is open already can be told to fit. */
function fillTls({ parts, verify, filled, pathBeside }: TlsSetting, context: EvaluationContext): Tls {
  let known = filled.get('');
  if (known) return known;
  const keys = Object.keys(parts) as (keyof typeof parts)[];
  const refers = keys.some(key => parts[key]!.parts.some(part => typeof part !== 'string'));
  const texts = keys.map(key => {
    const text = render(parts[key]!, context);
    return [key, key === 'passphrase' ? text : pathBeside(text)] as const;
  });
  const name = refers ? JSON.stringify(texts) : '';
  known = filled.get(name);
  if (!known) {
    known = { ...Object.fromEntries(texts), verify };
    filled.set(name, known);
  }
  return known;
}

/** A reference behind the name of a cookie gives its value, and no second one. */
function refuseMoreCookies({ parts }: Template, context: EvaluationContext): void {
  for (const [index, part] of parts.entries()) {
    const before = parts[index - 1];
    if (typeof part === 'string' || typeof before !== 'string' || !before.includes('=')) continue;
    const text = textOf(valueFor(part.reference, context)) ?? '';
    if (!part.reference.raw && /[;,]/.test(text))
      refuseValue(part.reference, context, 'holds a semicolon or a comma, which would end the cookie');
  }
}

type Draft = { -readonly [Key in keyof OutgoingRequest]: OutgoingRequest[Key] } & { headers: Header[] };

function addAuth(request: Draft, { headers, cookie, exchanged }: FilledAuthorization): void {
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

interface FilledBody {
  readonly parts: readonly BodyPart[];
  readonly contentType?: string;
}

/** @param given the Content-Type that a header gives */
function fillBody(body: PlannedBody, given: string | undefined, context: EvaluationContext): FilledBody {
  const typed = body.contentType === undefined ? {} : { contentType: body.contentType };
  switch (body.kind) {
    case 'text': {
      const text = render(body.template, context);
      return { parts: [body.crlf ? text.replace(/\r?\n/g, '\r\n') : text], ...typed };
    }
    case 'form': {
      const lines = body.fields.map(
        ({ name, value }) => `${encodeForm(render(name, context))}=${encodeForm(render(value, context))}`,
      );
      return { parts: [lines.join('&')], ...typed };
    }
    case 'multipart':
      return fillMultipart(body.fields, body.folder, given ?? 'multipart/form-data', context);
    case 'graphql': {
      const variables = body.variables ? `,"variables":${render(body.variables, context)}` : '';
      return { parts: [`{"query":${JSON.stringify(body.document)}${variables}}`], ...typed };
    }
    case 'file':
      return { parts: [{ file: filePath(body.path, body.folder, context) }], ...typed };
    default:
      return body satisfies never;
  }
}

function filePath(path: Template, folder: string, context: EvaluationContext): string {
  return resolvePath(folder, render(path, context));
}

/** RFC 7578. A type that is given otherwise, such as multipart/related, keeps its name and gets the boundary. */
function fillMultipart(
  fields: readonly Field[],
  folder: string,
  contentType: string,
  context: EvaluationContext,
): FilledBody {
  const chosen = /;\s*boundary="?([^";\s]+)/i.exec(contentType)?.[1];
  const boundary = chosen ?? `mervok-${context.clockAndRandom.uuid()}`;
  const parts: BodyPart[] = [];
  const add = (text: string) => {
    const last = parts.at(-1);
    if (typeof last === 'string') parts[parts.length - 1] = last + text;
    else parts.push(text);
  };
  for (const { name, value, isFile, type } of fields) {
    const path = isFile ? filePath(value, folder, context) : undefined;
    const file = path === undefined ? '' : `; filename="${quoteName(path.replace(/^.*[/\\]/, ''))}"`;
    const partType = type ?? (path === undefined ? undefined : typeOfFile(path));
    add(
      `--${boundary}\r\nContent-Disposition: form-data; name="${quoteName(render(name, context))}"${file}\r\n`,
    );
    add(`${partType === undefined ? '' : `Content-Type: ${partType}\r\n`}\r\n`);
    if (path === undefined) add(render(value, context));
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
