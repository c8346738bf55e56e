import type { FilledAuthorization } from '../auth/authorization.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { Effective } from '../settings/effective.ts';
import { authOf } from '../steps/http/prepare-request.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import { isOpen, OpenValueError } from '../values/open-value.ts';
import type { AnsweringPattern } from './answering-pattern.ts';
import { madeValue } from './made-value.ts';
import { type HeaderCondition, RequestPattern } from './request-pattern.ts';
import { problemAnswer, type StandInAnswer } from './stand-in-answer.ts';
import { literalTarget, type QueryCondition } from './target-pattern.ts';

// How requests of pages sign in, as a stand-in sees it: credentials have to be there, and none is looked at.

/** What a request that signs in brings. */
export interface Credentials {
  readonly headers: readonly HeaderCondition[];
  readonly query: readonly QueryCondition[];
  /** Whether they are brought only when they are asked for. */
  readonly asksForDigest: boolean;
}

const none: Credentials = { headers: [], query: [], asksForDigest: false };

export function credentialsOf(
  written: WrittenRequest,
  effective: Effective,
  evaluation: EvaluationContext,
): Credentials {
  const auth = authOf(written, effective);
  if (!auth) return none;
  if (auth.kind === 'digest') return { ...none, asksForDigest: true };
  if (auth.usesHeader) return { ...none, headers: [{ name: 'authorization' }] };
  const filled = filledBy(auth, evaluation);
  if (!filled) return none;
  return {
    headers: [
      ...filled.headers.map(([name]) => ({ name: name.toLowerCase() })),
      ...(filled.cookie === undefined ? [] : [{ name: 'cookie' }]),
    ],
    query: filled.query.map(([name]) => ({ name })),
    asksForDigest: false,
  };
}

const anything: Entry = { value: 'x', origin: '', secret: false };

/** With something in the place of what nobody knows. */
function filledBy(
  auth: NonNullable<Effective['auth']>['auth'],
  evaluation: EvaluationContext,
): FilledAuthorization | undefined {
  const lookup = (name: string) => {
    const entry = evaluation.lookup(name);
    return entry && !isOpen(entry.value) ? entry : anything;
  };
  const { clockAndRandom } = evaluation;
  try {
    return auth.fill({ response: undefined, lookup, clockAndRandom, notes: [] });
  } catch (error) {
    if (error instanceof TemplateError || error instanceof OpenValueError) return undefined;
    throw error;
  }
}

/** What gives tokens to clients that ask for one first (RFC 6749, 5.1), where a request signs in by such a token. */
export function tokenAnswer(
  written: WrittenRequest,
  effective: Effective,
  evaluation: EvaluationContext,
): { readonly url: string; readonly pattern: AnsweringPattern } | undefined {
  const auth = authOf(written, effective);
  const exchanged = auth && filledBy(auth, evaluation)?.exchanged;
  if (exchanged?.kind !== 'oauth2') return undefined;
  const url = exchanged.fields.get('token-url') ?? '';
  const pattern = new RequestPattern({
    address: 'a token',
    method: 'POST',
    target: literalTarget(url),
    headers: [],
    without: [],
    knownValues: () => undefined,
    shownValues: () => undefined,
    asksForDigest: false,
  });
  const answer = (_: unknown, request: { readonly body: { readonly text: string } }): StandInAnswer => {
    const token = madeValue('token', 'text', true, () => request.body.text);
    const text = JSON.stringify(
      { access_token: token, token_type: 'Bearer', expires_in: 3600 },
      undefined,
      2,
    );
    const headers = [
      ['Content-Type', 'application/json'],
      ['Cache-Control', 'no-store'],
    ] as const;
    return { status: 200, reason: '', headers, body: { text }, from: 'a token' };
  };
  return { url, pattern: { pattern, count: 1, answer } };
}

/** RFC 7616, 3.3; what comes of it is not looked at. */
export function digestChallenge(): StandInAnswer {
  const problem = problemAnswer({ status: 401, title: 'Credentials are asked for', detail: 'By digest.' });
  const challenge = 'Digest realm="stand-in", qop="auth", algorithm=SHA-256, nonce="made-up"';
  return { ...problem, headers: [...problem.headers, ['WWW-Authenticate', challenge]] };
}
