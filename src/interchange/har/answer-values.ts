import { memberStep } from '../../core/language/looked-at.ts';
import type { Value } from '../../core/model/value.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { isNumeric, numberText } from '../../core/values/number.ts';
import type { AnswerValue } from './answer-value.ts';
import { htmlValues, xmlValues } from './markup-values.ts';
import { cookiesSetBy } from './recorded-parts.ts';
import type { RecordedExchange } from './recording.ts';

type Values = Generator<AnswerValue>;

/**
 * What an answer gives in its address, its headers and cookies, its body.
 * @param document what its body says, where that is JSON
 * @param isAsked whether a value is looked for: an answer has many, and few come back
 */
export function* valuesOfAnswer(
  exchange: RecordedExchange,
  document: Value | undefined,
  isAsked: (value: string) => boolean,
): Values {
  for (const each of addressValues(exchange)) if (isAsked(each.value)) yield each;
  for (const each of headerValues(exchange)) if (isAsked(each.value)) yield each;
  for (const each of cookieValues(exchange)) if (isAsked(each.value)) yield each;
  const { contentType, text } = exchange;
  if (text === undefined) return;
  if (/html/.test(contentType)) yield* htmlValues(text, isAsked);
  else if (/\bxml\b/.test(contentType)) yield* xmlValues(text, isAsked);
  else if (document !== undefined) yield* jsonValues(document, isAsked);
}

/** Where what was made is, and where redirects lead. */
function* addressValues({ url, status, answered, ledTo }: RecordedExchange): Values {
  const location = answered.find(([name]) => /^location$/i.test(name))?.[1];
  const [last, before] = (location ?? '')
    .replace(/[?#].*$/, '')
    .replace(/\/$/, '')
    .split('/')
    .reverse();
  if (status === 201 && last)
    yield {
      value: percentDecoded(last),
      member: 'id',
      around: before === '' ? undefined : before,
      source: () => String.raw`location /([^\/]+)$/`,
    };
  const isKept = status >= 300 && status < 400 && location !== undefined;
  if (ledTo !== undefined) yield* addressed(ledTo, 'url');
  else if (isKept && URL.canParse(location, url)) yield* addressed(new URL(location, url).href, 'location');
}

/** What an address names behind a word, as in `/orders/417`. */
function* addressed(url: string, source: string): Values {
  const segments = new URL(url).pathname.split('/');
  for (const [at, segment] of segments.entries()) {
    const before = segments[at - 1] ?? '';
    if (/\d/.test(segment) && /^[A-Za-z][\w-]*$/.test(before))
      yield {
        value: percentDecoded(segment),
        member: 'id',
        around: before,
        source: () => String.raw`${source} /\/${before}\/([^\/?#]+)/`,
      };
  }
}

/** Headers that say how an answer comes, not what it is. */
const ofTransfer =
  /^(?:date|server|vary|via|age|allow|connection|keep-alive|trailer|expires|pragma|refresh|status|location|link|alt-svc|nel|report-to|timing-allow-origin|transfer-encoding|upgrade|set-cookie|(?:cache|strict|access|content|accept|cross|referrer|permissions|feature|origin|server|sec)-.*|x-(?:frame|xss|content-type|powered|dns|download|permitted|robots|runtime|cache|served|ua|ratelimit)\b.*)$/i;

/** Sessions, tokens, versions. */
function* headerValues({ answered }: RecordedExchange): Values {
  for (const [name, value] of answered)
    if (/^[A-Za-z][\w-]*$/.test(name) && !ofTransfer.test(name))
      yield { value, member: name.toLowerCase(), source: () => `header ${name.toLowerCase()}` };
}

/** What a script sends back beside the cookie. */
function* cookieValues(exchange: RecordedExchange): Values {
  for (const [member, value] of cookiesSetBy(exchange)) {
    if (!/^[\w.-]+$/.test(member) || !/\d/.test(value)) continue;
    yield { value, member, isSecret: true, source: () => `cookie ${member}` };
    // A script reads what it stands for.
    const decoded = percentDecoded(value);
    if (decoded !== value)
      yield { value: decoded, member, isSecret: true, source: () => `decode(cookie ${member})` };
  }
}

/** So deep a body is looked at. */
const deepest = 20;

/** Members that are there for what is in them; lists only where nothing says what they are of. */
const wrapper =
  /^(?:data|response|payload|body|content|values?|entity|object|attributes|nodes?|edges|hits|docs|_embedded)$/i;
const plainList = /^(?:items?|records?|results?|rows|list)$/i;

function jsonValues(document: Value, isAsked: (value: string) => boolean): AnswerValue[] {
  const values: AnswerValue[] = [];
  const way: (string | number)[] = [];
  const look = (value: Value, member: string, around: string | undefined) => {
    if (typeof value === 'string' || isNumeric(value)) {
      const text = typeof value === 'string' ? value : numberText(value);
      if (!isAsked(text)) return;
      const steps = way.map(step => (typeof step === 'number' ? `[${step}]` : memberStep(step)));
      values.push({ value: text, member, around, source: () => `$${steps.join('')}` });
    } else if (typeof value === 'object' && value !== null && way.length < deepest) {
      const isList = Array.isArray(value);
      const saysNothing =
        member === '' || wrapper.test(member) || (around === undefined && plainList.test(member));
      const own = isList || saysNothing ? around : member;
      for (const [name, each] of Object.entries(value)) {
        way.push(isList ? Number(name) : name);
        look(each, isList ? member : name, own);
        way.pop();
      }
    }
  };
  look(document, '', undefined);
  return values;
}
