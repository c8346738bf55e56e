import type { Check } from '../../src/core/language/ast.ts';
import { compileCondition } from '../../src/core/language/compile-condition.ts';
import { compileExpression } from '../../src/core/language/compile-expression.ts';
import type { EvaluationContext } from '../../src/core/language/evaluation-context.ts';
import { type Explanation, explain } from '../../src/core/language/explain.ts';
import { remedyOf } from '../../src/core/language/other-notations/remedy.ts';
import { loadPackages } from '../../src/core/language/packages.ts';
import { Unknown } from '../../src/core/language/truth.ts';
import { type Code, codes, type SourceError } from '../../src/core/model/finding.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { type Found, Missing, Plain, type Value } from '../../src/core/model/value.ts';
import { errorsInStatement, readStatements, type Statement } from '../../src/core/pages/statements.ts';
import { RequestView, ResponseView } from '../../src/core/steps/http/response-view.ts';
import type { Keep } from '../../src/core/steps/keep/keep.ts';
import { Words } from './words.ts';

const words = new Words('language');

await loadPackages(['csv', 'patterns', 'dates', 'xpath', 'html', 'schemas']);

export interface Given {
  /** An object is sent as JSON. */
  readonly body?: unknown;
  readonly headers?: readonly (readonly [string, string])[];
  readonly status?: number;
  readonly reason?: string;
  readonly time?: number;
  readonly names?: { readonly [name: string]: Value };
  /** The request as it was sent. */
  readonly sent?: { readonly headers?: readonly (readonly [string, string])[]; readonly body?: string };
  readonly setCookies?: readonly string[];
  readonly trailers?: readonly (readonly [string, string])[];
  /** No response came. */
  readonly fault?: string;
  readonly random?: () => number;
  /** The redirects on the way. */
  readonly hops?: readonly { readonly status: number; readonly location?: string }[];
}

/** A context with a response, as statements see it. 2026-11-23T12:00:00Z is now. */
export function contextOf({
  body = {},
  headers,
  status = 200,
  reason = 'OK',
  time = 12,
  names = {},
  sent,
  setCookies = [],
  trailers = [],
  fault,
  random = () => 0.5,
  hops,
}: Given = {}): EvaluationContext {
  const bytes =
    body instanceof Uint8Array ? body : Buffer.from(typeof body === 'string' ? body : JSON.stringify(body));
  const message = { url: 'http://skerry.example/v1/berths?a=1', reason, version: 'HTTP/1.1', time };
  const received = {
    ...message,
    status,
    headers: headers ?? [['Content-Type', 'application/json']],
    trailers,
    body: bytes,
    size: bytes.length,
  };
  const request = sent && {
    ...message,
    status: 0,
    headers: sent.headers ?? [],
    body: Buffer.from(sent.body ?? ''),
    size: 0,
  };
  const facts = {
    setCookies,
    ...(hops && {
      hops: hops.map(({ status: code, location }) => ({
        ...{ ...message, status: code, trailers: [], body: Buffer.alloc(0), size: 0 },
        headers: location === undefined ? [] : ([['Location', location]] as const),
      })),
    }),
  };
  return {
    response: fault === undefined ? new ResponseView(received, facts) : undefined,
    sent: request && new RequestView(request),
    fault,
    lookup: name =>
      Object.hasOwn(names, name)
        ? { value: names[name]!, origin: 'from the test', secret: false }
        : undefined,
    file: path => (path === 'sea/raw.bin' ? Uint8Array.of(1, 2, 3) : new Missing(`there is no ${path}`)),
    clockAndRandom: {
      now: () => Date.UTC(2026, 10, 23, 12),
      uuid: () => '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
      random,
    },
    notes: [],
  };
}

/**
 * Reads statements; errors come with the line and column at which they stand.
 * @param byChance whether nobody has to know the words of what is said
 */
export function read(
  text: string,
  byChance = false,
): {
  statements: Statement[];
  errors: { code: string; at: string; message: string; remedy: string }[];
} {
  const source = new Source('sea/test.md', text);
  const { statements, errors } = readStatements(new Excerpt(source, source.text, 1));
  const told = (error: SourceError) => {
    const { line, column } = source.position(error.range.start);
    const marked = source.text.slice(error.range.start, error.range.end);
    const remedy = error.unread ? remedyOf(error.unread, error.remedy) : error.remedy;
    if (!byChance) words.hear(error.code, marked, error.message, remedy);
    return {
      code: error.code,
      at: `${line}:${column}`,
      message: error.message,
      remedy: remedy ?? '',
    };
  };
  return { statements, errors: [...errors, ...statements.flatMap(errorsInStatement)].map(told) };
}

function only(text: string, byChance = false): Statement {
  const { statements, errors } = read(text, byChance);
  const grave = errors.filter(each => codes[each.code as Code] === 'error');
  if (grave.length > 0) throw new Error(`${text}: ${grave.map(each => each.message).join(' ')}`);
  if (statements.length !== 1) throw new Error(`${text}: ${statements.length} statements`);
  return statements[0]!;
}

/**
 * What a condition comes to: yes, no or unknown.
 * @param byChance whether nobody has to know the words of what is said
 */
export function decide(condition: string, given?: Given, byChance = false): 'yes' | 'no' | 'unknown' {
  const truth = compileCondition((only(condition, byChance) as Check).condition)(contextOf(given));
  if (truth instanceof Unknown && !byChance) words.hear('unknown', condition, truth.reason);
  return truth instanceof Unknown ? 'unknown' : truth ? 'yes' : 'no';
}

/**
 * What a value expression comes to.
 * @param byChance whether nobody has to know the words of what is said
 */
export function evaluate(expression: string, given?: Given, byChance = false): Found {
  const keep = only(`keep ${expression} as kept`, byChance) as Keep;
  const found = compileExpression(keep.value)(contextOf(given));
  if (found instanceof Missing && !byChance) words.hear('missing', expression, found.reason);
  return found;
}

/** Why a condition does not hold. */
export function explained(condition: string, given?: Given): Explanation {
  const context = contextOf(given);
  const { condition: node } = only(condition) as Check;
  if (compileCondition(node)(context) === true) throw new Error(`${condition} holds`);
  const explanation = explain(node, context.notes, condition, context);
  words.hear('explained', condition, JSON.stringify(explanation));
  return explanation;
}

/** All that is told of a condition, whatever it comes to; nobody has to know the words of it. */
export function toldOf(condition: string, given?: Given): unknown {
  const { statements, errors } = read(condition, true);
  const context = contextOf(given);
  const node = (statements[0] as Check | undefined)?.condition;
  if (errors.length > 0 || !node) return errors;
  const truth = compileCondition(node)(context);
  const told = truth instanceof Unknown ? { unknown: truth.reason } : truth;
  return truth === true ? told : [told, explain(node, context.notes, condition, context)];
}

export const plain = (text: string) => new Plain(text);
