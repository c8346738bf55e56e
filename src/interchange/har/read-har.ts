import {
  isJsonObject,
  type Json,
  type JsonObject,
  member,
  textOf,
} from '../../core/definition/document/json.ts';
import { SourceError } from '../../core/model/finding.ts';
import { counted } from '../../core/text/words.ts';
import { partsOf } from './multipart-parts.ts';
import type { RecordedBody, RecordedExchange, Recording } from './recording.ts';

/** Whether a document is an HTTP archive. */
export function isRecording(value: Json): boolean {
  return Array.isArray(member(member(value, 'log'), 'entries'));
}

/** Reads an HTTP archive (HAR 1.2): what one service was asked, but for what only draws a page. Throws SourceError. */
export function readHar(value: Json): Recording {
  const log = member(value, 'log');
  const entries = (member(log, 'entries') as Json[]).filter(isJsonObject);
  const exchanges = entries.flatMap(entry => readEntry(entry) ?? []);
  const unreadable = (member(log, 'entries') as Json[]).length - exchanges.length;
  const origin = mainOrigin(exchanges);
  if (origin === undefined)
    throw new SourceError(
      'har-form',
      { start: 0, end: 0 },
      'Nothing in this recording was asked over HTTP and answered.',
    );
  const reasons = new Map<string, number>();
  const kept = exchanges.filter(({ exchange, kind }) => {
    const why = whyLeftOut(exchange, kind, origin);
    if (why !== undefined) reasons.set(why, (reasons.get(why) ?? 0) + 1);
    return why === undefined;
  });
  const followed = withoutFollowed(kept.map(({ exchange }) => exchange));
  const once = withoutRepeats(followed);
  const notes = [...reasons].map(([why, count]) => `${counted(count, 'request')} left out: ${why}.`);
  if (unreadable > 0)
    notes.push(`${counted(unreadable, 'entry', 'entries')} left out: without an answer, or not of HTTP.`);
  if (once.length < followed.length)
    notes.push(
      `${counted(followed.length - once.length, 'request')} left out: the same was asked right before.`,
    );
  if (kept.length > 0 && kept.every(({ exchange }) => exchange.text === undefined))
    notes.push(
      'The recording has no bodies, so what flows from one request to the next cannot be found again.',
    );
  const bare = once.filter(({ lacksBody }) => lacksBody);
  if (bare.length > 0)
    notes.push(
      `${counted(bare.length, 'body', 'bodies')} left out: the recording does not have what was sent.`,
    );
  const [page] = Array.isArray(member(log, 'pages')) ? (member(log, 'pages') as Json[]) : [];
  const everything = exchanges
    .map(({ exchange }) => exchange)
    .filter(({ url }) => new URL(url).origin === origin);
  return { title: textOf(member(page, 'title')), origin, exchanges: once, everything, notes };
}

interface Read {
  readonly exchange: RecordedExchange;
  /** What the recorder says that it was for: `xhr`, `script`. */
  readonly kind: string;
}

function readEntry(entry: JsonObject): Read | undefined {
  const [request, response] = [member(entry, 'request'), member(entry, 'response')];
  const url = textOf(member(request, 'url'));
  const method = textOf(member(request, 'method'));
  const status = member(response, 'status');
  if (url === undefined || method === undefined || !/^https?:\/\//i.test(url) || !URL.canParse(url))
    return undefined;
  if (typeof status !== 'number' || status < 200 || status > 599 || !/^[A-Z]+$/.test(method))
    return undefined;
  const content = member(response, 'content');
  const body = readBody(member(request, 'postData'));
  const headers = pairsIn(member(request, 'headers'));
  const length = headers.find(([name]) => /^content-length$/i.test(name))?.[1];
  const size = Math.max(Number(length ?? 0), Number(member(request, 'bodySize') ?? 0));
  const text = readText(content);
  return {
    kind: (textOf(entry._resourceType) ?? '').toLowerCase(),
    exchange: {
      method,
      url,
      headers,
      cookies: pairsIn(member(request, 'cookies')),
      ...(body && { body }),
      lacksBody: size > 0 && (!body || (body.text === undefined && body.fields.length === 0)),
      // What asks only for what is new is not sent again, so all of it comes.
      status: status === 304 ? 200 : status,
      answered: answeredIn(response),
      contentType: (textOf(member(content, 'mimeType')) ?? '').replace(/;.*$/s, '').trim().toLowerCase(),
      ...(text !== undefined && { text }),
    },
  };
}

/** Headers of an answer; some recorders tell the cookies that it sets beside them. */
function answeredIn(response: Json | undefined): [string, string][] {
  const headers = pairsIn(member(response, 'headers'));
  if (headers.some(([name]) => /^set-cookie$/i.test(name))) return headers;
  const cookies = pairsIn(member(response, 'cookies'));
  return [
    ...headers,
    ...cookies.map(([name, value]): [string, string] => ['set-cookie', `${name}=${value}`]),
  ];
}

function pairsIn(list: Json | undefined): [string, string][] {
  if (!Array.isArray(list)) return [];
  return list.flatMap(each => {
    const [name, value] = [textOf(member(each, 'name')), textOf(member(each, 'value'))];
    return name === undefined || value === undefined || name.startsWith(':') ? [] : [[name, value]];
  });
}

function readBody(data: Json | undefined): RecordedBody | undefined {
  if (!isJsonObject(data)) return undefined;
  const contentType = textOf(data.mimeType) ?? '';
  const text = textOf(data.text);
  const fields = Array.isArray(data.params)
    ? data.params.flatMap(each => {
        const [name, value, file, type] = ['name', 'value', 'fileName', 'contentType'].map(key =>
          textOf(member(each, key)),
        );
        return name === undefined
          ? []
          : [
              {
                name,
                ...(value !== undefined && { value }),
                ...(file !== undefined && { file }),
                ...(type !== undefined && { type }),
              },
            ];
      })
    : [];
  const isMultipart = /^multipart\/form-data/i.test(contentType) && fields.length === 0;
  return {
    contentType,
    ...(text !== undefined && text !== '' && { text }),
    fields: isMultipart ? partsOf(text ?? '', contentType) : fields,
  };
}

/** Binary bodies are no texts. */
function readText(content: Json | undefined): string | undefined {
  const text = textOf(member(content, 'text'));
  if (text === undefined || textOf(member(content, 'encoding')) !== 'base64') return text;
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(Buffer.from(text, 'base64'));
  } catch {
    return undefined;
  }
}

/** Where most of it went that is no picture and no script. */
function mainOrigin(exchanges: readonly Read[]): string | undefined {
  const counts = new Map<string, number>();
  for (const { exchange, kind } of exchanges) {
    const weight = isStatic(exchange, kind) ? 0.01 : 1;
    const { origin } = new URL(exchange.url);
    counts.set(origin, (counts.get(origin) ?? 0) + weight);
  }
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0];
}

function whyLeftOut(exchange: RecordedExchange, kind: string, origin: string): string | undefined {
  if (new URL(exchange.url).origin !== origin) return 'they went to other hosts';
  if (isPreflight(exchange)) return 'a browser asks by itself whether it may ask (CORS)';
  return isStatic(exchange, kind) ? 'pictures, scripts, styles and fonts' : undefined;
}

function isPreflight({ method, headers }: RecordedExchange): boolean {
  return method === 'OPTIONS' && headers.some(([name]) => /^access-control-request-method$/i.test(name));
}

const staticKinds: ReadonlySet<string> = new Set([
  ...[
    'script',
    'stylesheet',
    'image',
    'font',
    'media',
    'manifest',
    'texttrack',
    'ping',
    'websocket',
    'eventsource',
  ],
]);

function isStatic({ method, url, contentType }: RecordedExchange, kind: string): boolean {
  if (method !== 'GET' && method !== 'HEAD') return false;
  if (staticKinds.has(kind)) return true;
  if (kind === 'xhr' || kind === 'fetch' || kind === 'document') return false;
  const isFile =
    /\.(?:m?js|css|map|png|jpe?g|gif|svg|webp|avif|ico|woff2?|ttf|otf|eot|mp4|webm|mp3|wasm|webmanifest)$/i;
  return (
    /^(?:image|font|audio|video)\/|^text\/css$|javascript|ecmascript|\bwasm\b|manifest\+json/.test(
      contentType,
    ) || isFile.test(new URL(url).pathname)
  );
}

/** What a redirect led to belongs to the request that was sent on. */
function withoutFollowed(exchanges: readonly RecordedExchange[]): RecordedExchange[] {
  const result: RecordedExchange[] = [];
  for (let at = 0; at < exchanges.length; at++) {
    let last = exchanges[at]!;
    const first = last;
    for (;;) {
      const location = last.answered.find(([name]) => /^location$/i.test(name))?.[1];
      const next = exchanges[at + 1];
      const leads =
        last.status >= 300 && last.status < 400 && location !== undefined && URL.canParse(location, last.url);
      if (!next || !leads || new URL(location, last.url).href !== new URL(next.url).href) break;
      last = next;
      at++;
    }
    const { status, answered, contentType, text, url } = last;
    result.push(
      last === first
        ? first
        : {
            ...withoutText(first),
            ledTo: url,
            status,
            answered: [...first.answered, ...answered],
            contentType,
            ...(text !== undefined && { text }),
          },
    );
  }
  return result;
}

function withoutText({ text: _, ...exchange }: RecordedExchange): RecordedExchange {
  return exchange;
}

/** The same question with the same answer, right behind itself: somebody waited for something. */
function withoutRepeats(exchanges: readonly RecordedExchange[]): RecordedExchange[] {
  return exchanges.filter((each, at) => {
    const before = exchanges[at - 1];
    const same = before?.method === 'GET' && each.method === 'GET' && before.url === each.url;
    return !(same && before.status === each.status && before.text === each.text);
  });
}
