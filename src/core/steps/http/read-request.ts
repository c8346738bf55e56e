import { foreignReferences, inWords } from '../../language/templates/foreign-references.ts';
import { isHost, parseTarget, refuseSpaces, withScheme } from '../../language/templates/target.ts';
import { parseTemplate } from '../../language/templates/template.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import { framingValueOf, isAboutConnection } from '../../settings/framing-headers.ts';
import { didYouMean, editDistance } from '../../text/words.ts';
import { bodyOffset, headLines, type Line, token } from './message-head.ts';
import type { HeaderField, WrittenRequest } from './request.ts';

/** The usual methods, and others that are registered (RFC 9110, 16.1) or widely known, of which none is a slip. */
const methods = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'TRACE'];
const otherMethods = new Set(
  'ACL BASELINE-CONTROL BIND CHECKIN CHECKOUT COPY LABEL LINK LOCK MERGE MKACTIVITY MKCALENDAR MKCOL MKREDIRECTREF MKWORKSPACE MOVE ORDERPATCH PROPFIND PROPPATCH PURGE QUERY REBIND REPORT SEARCH UNBIND UNCHECKOUT UNLINK UNLOCK UPDATE UPDATEREDIRECTREF VERSION-CONTROL'.split(
    ' ',
  ),
);

// message :: method SP target ( SP HTTP/version )? ( EOL field )* ( EOL EOL body )?
export function readRequest(excerpt: Excerpt): { step?: WrittenRequest; errors: SourceError[] } {
  const errors: SourceError[] = [];
  const { text } = excerpt;
  const attempt = <T>(read: () => T): T | undefined => {
    try {
      return read();
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      errors.push(error);
      return undefined;
    }
  };
  const lines = headLines(text);
  const first = lines.shift();
  const line = attempt(() => requestLine(excerpt, first));
  // Below a first line that is none, the others are hardly headers.
  const headers = line ? lines.flatMap(each => attempt(() => readField(excerpt, each)) ?? []) : [];
  const bodyStart = bodyOffset(text);
  if (line && errors.length === 0 && bodyStart !== undefined)
    attempt(() => refuseStrayLines(excerpt, bodyStart, line.method, headers));
  if (!line || errors.length > 0) return { errors: errors.slice(0, 1) };
  const step: WrittenRequest = {
    type: 'http',
    ...line,
    headers,
    ...(bodyStart !== undefined && { body: { excerpt, start: bodyStart } }),
    range: excerpt.range(first!.start, first!.start + first!.text.length),
  };
  return { step, errors };
}

const requestStart =
  /^(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS|TRACE)\s+(?:\/|https?:\/\/|\{)\S*(?:\s+HTTP\/\d\S*)?\s*$/;
const responseStart = /^HTTP\/\d(?:\.\d)?\s+\d{3}\b/;
const statementStart =
  /^(?:status\s*(?:[=<>!]|is\b|in\b)|keep\s|let\s+[\w-]+\s*=|\$[.[]\S*\s|header\s+[\w-]+\s|time\s*<|each\s+\$|count\s+\$|(?:repeat|skip|wait)\s)/;

/** Types of bodies that may hold messages of HTTP, or anything at all. */
const holdsAnything = /^(?:text\/|multipart\/|message\/|application\/(?:http|octet-stream))/i;

/** A second request, a response or statements in a fence would be sent as a body. */
function refuseStrayLines(
  excerpt: Excerpt,
  bodyStart: number,
  method: string,
  headers: readonly HeaderField[],
): void {
  const type = headers.find(({ name }) => name.toLowerCase() === 'content-type')?.value.parts.join('');
  if (type !== undefined && holdsAnything.test(type)) return;
  let start = bodyStart;
  for (const line of excerpt.text.slice(bodyStart).split('\n')) {
    const range = excerpt.range(start, start + line.length);
    start += line.length + 1;
    if (requestStart.test(line))
      throw new SourceError(
        'request-line',
        range,
        'A second request begins here, and would be sent as the body of the first one.',
        'Each request has a fence of its own. What is meant as a body says so: Content-Type: text/plain',
      );
    if (responseStart.test(line))
      throw new SourceError(
        'request-line',
        range,
        'A response begins here, and would be sent as the body of the request.',
        'An example response has a fence of its own. What is meant as a body says so: Content-Type: text/plain',
      );
    if (type === undefined && method !== 'POST' && method !== 'PUT' && statementStart.test(line))
      throw new SourceError(
        'request-line',
        range,
        'This reads like a statement, and would be sent as the body of the request.',
        'Statements stand in a fence ```mervok. What is meant as a body says so: Content-Type: text/plain',
      );
  }
}

function requestLine(excerpt: Excerpt, line: Line | undefined) {
  const place = (start: number, end: number) => excerpt.range(start, end);
  if (!line)
    throw new SourceError(
      'request-line',
      place(0, 0),
      'There is no request in this fence.',
      'Its first line is a method and a target: GET /berths',
    );
  const [, indent, method, between, rest] = /^(\s*)(\S+)(\s*)(.*?)\s*$/.exec(line.text)!;
  const methodStart = line.start + indent!.length;
  const methodRange = place(methodStart, methodStart + method!.length);
  checkMethod(method!, rest!, methodRange);
  const targetText = rest!.replace(/\s+HTTP\/\d(?:\.\d)?$/, '');
  const start = methodStart + method!.length + between!.length;
  if (targetText === '')
    throw new SourceError(
      'request-line',
      methodRange,
      `The target is missing behind ${method}.`,
      `For example: ${method} /berths`,
    );
  const placeInTarget = (from: number, to: number) => place(start + from, start + to);
  refuseForeignReferences(targetText, placeInTarget);
  // References may not hold white space, so what is left of it is in the way.
  if (/\s#/.test(targetText))
    throw new SourceError(
      'request-line',
      placeInTarget(targetText.search(/\s#/) + 1, targetText.length),
      'A fence of a request holds no comments.',
      'Prose stands around it.',
    );
  refuseSpaces(targetText, placeInTarget);
  const targetRange = place(start, start + targetText.length);
  if (!/^(?:\/|https?:\/\/|\{)/i.test(targetText))
    throw new SourceError(
      'request-line',
      targetRange,
      "A target begins with '/', with http:// or https://, or with a reference.",
      targetMeant(targetText),
    );
  return { method: method!, targetText, target: parseTarget(targetText, placeInTarget), targetRange };
}

function refuseForeignReferences(target: string, place: (start: number, end: number) => Range): void {
  const [first] = foreignReferences(target, ['doubled', 'dollar-braces', 'spaced']);
  if (!first) return;
  const { message, remedy } = inWords(first);
  throw new SourceError('reference-form', place(first.start, first.end), message, remedy);
}

/** What a target is meant for that begins with nothing that one begins with. */
function targetMeant(target: string): string {
  const [, quoted] = /^(["'<])(.*)["'>]$/.exec(target)?.slice(1) ?? [];
  if (quoted !== undefined) return `Write it without quotes: ${quoted}`;
  const scheme = /^([a-z][a-z0-9+.-]*):\/\//i.exec(target)?.[1];
  if (scheme !== undefined) return `'${scheme}' cannot be spoken here; there are http:// and https://.`;
  if (isHost(target)) return `Where this is a host, its scheme is missing: ${withScheme(target)}`;
  return `Did you mean '/${target}'?`;
}

function checkMethod(method: string, rest: string, range: SourceError['range']): void {
  if (/^(?:\/|https?:|\{)/i.test(method) && rest === '')
    throw new SourceError(
      'request-line',
      range,
      'A request begins with its method.',
      `For example: GET ${method}`,
    );
  if (!token.test(method))
    throw new SourceError(
      'request-line',
      range,
      `'${method}' is no method.`,
      'A request begins with a method and a target: GET /berths',
    );
  if (methods.includes(method) || otherMethods.has(method)) return;
  if (method === 'CONNECT')
    throw new SourceError(
      'request-line',
      range,
      'CONNECT opens a tunnel through a proxy, and nothing else.',
      'The proxy is a setting: proxy: http://proxy.skerry.example:3128',
    );
  if (/^(?:#+|\/\/)$/.test(method))
    throw new SourceError(
      'request-line',
      range,
      'A fence of a request holds no comments.',
      'Prose stands around it.',
    );
  const upper = method.toUpperCase();
  if (upper !== method && !methods.includes(upper)) {
    const near = methods.find(known => editDistance(upper, known) <= 1);
    throw new SourceError(
      'request-line',
      range,
      `'${method}' is no method.`,
      near
        ? `Did you mean '${near}'?`
        : 'A request begins with a method in capital letters and a target: GET /berths',
    );
  }
  if (methods.includes(upper))
    throw new SourceError(
      'request-line',
      range,
      'Methods are written in capital letters.',
      `Write ${upper}.`,
    );
  const meant = didYouMean(method, methods);
  if (meant !== undefined)
    throw new SourceError('request-line', range, `'${method}' is no method that is known.`, meant);
}

/** What a line is meant for that is no header. */
function lineMeant(line: string): string {
  if (requestStart.test(line)) return 'Each request has a fence of its own.';
  if (responseStart.test(line)) return 'An example response has a fence of its own.';
  if (statementStart.test(line)) return 'Statements stand in a fence ```mervok below this one.';
  if (/^(?:#|\/\/|;|--)/.test(line)) return 'A fence of a request holds no comments; prose stands around it.';
  if (/^[?&][\w.[\]-]+(?:=|$)/.test(line))
    return 'A query stands in the target: GET /berths?state=free, or a line for each name in a fence ```form query.';
  const [, name, value] = /^([\w-]+)\s*=\s*(.*)$/.exec(line) ?? [];
  return name === undefined ? 'The body begins behind an empty line.' : `Write '${name}: ${value}'.`;
}

// field :: token : text
function readField(excerpt: Excerpt, { text, start }: Line): HeaderField {
  const range = excerpt.range(start, start + text.length);
  const colon = text.indexOf(':');
  if (/^\s/.test(text))
    throw new SourceError(
      'header-line',
      range,
      'A header line may not begin with white space.',
      'Write a long value in one line; the body begins behind an empty line.',
    );
  const name = colon < 0 ? text : text.slice(0, colon);
  if (colon < 0 || !token.test(name))
    throw new SourceError(
      'header-line',
      range,
      colon < 0 ? 'A header line is a name, a colon and a value.' : `'${name}' is no name of a header.`,
      lineMeant(text),
    );
  if (isAboutConnection(name))
    throw new SourceError(
      'header-line',
      range,
      `'${name}' is about the connection, which Mervok sees to itself.`,
      'Take this line away.',
    );
  const leading = /^\s*/.exec(text.slice(colon + 1))![0].length;
  const from = start + colon + 1 + leading;
  const end = Math.max(from, start + text.trimEnd().length);
  const value = parseTemplate(excerpt, from, end, 'header');
  const framing = framingValueOf(name);
  const [only = ''] = value.parts;
  if (framing !== undefined && typeof only === 'string' && only.toLowerCase() !== framing)
    throw new SourceError(
      'header-line',
      excerpt.range(from, Math.max(end, from + 1)),
      `'${name}' can say '${framing}', and nothing else.`,
      framing === 'chunked'
        ? 'What is compressed is sent from a file, with Content-Encoding: gzip.'
        : 'Another expectation is a header of your own, or none.',
    );
  return { name, value, range };
}
