import type { ExchangedCredentials } from '../../core/auth/exchanged.ts';
import type { OsEnvironment } from '../../core/model/external-sources.ts';
import type { Exchange, Header } from '../../core/model/http-messages.ts';
import type { Sent } from '../../core/steps/http/http-port.ts';
import type { Authorizer, ChallengeAnswers } from '../auth/authorizer.ts';
import { type Authorizers, openAuthorizers } from '../auth/authorizers.ts';
import type { FilePlaces } from '../file-places.ts';
import { sameOrigin } from './address.ts';
import { type Jar, setsCookies, withCookies } from './cookies.ts';
import { loadClient } from './load.ts';
import { bodyStaysHere, redirected, redirectTarget, tooManyRedirects } from './redirect.ts';
import { isIdempotent, waitBeforeRetry } from './retry.ts';
import { type OneExchange, type SavableRequest, Sender, unsendable } from './sender.ts';
import { warmUp } from './warm-up.ts';

export interface HttpDriver {
  send(request: SavableRequest, signal: AbortSignal): Promise<Sent>;
  /** Drops every connection. */
  close(): Promise<void>;
}

export interface HttpDriverOptions extends FilePlaces {
  readonly environment: OsEnvironment;
  readonly now: () => number;
  readonly sleep: (milliseconds: number, signal: AbortSignal) => Promise<void>;
}

/**
 * Sends requests, with all that may be needed for it: a token first, an answer to a challenge, redirects, another try.
 * Every exchange on the way is told.
 */
export async function createHttpDriver(options: HttpDriverOptions): Promise<HttpDriver> {
  const library = await loadClient();
  await warmUp(library);
  const sender = new Sender(library, options);
  const authorizers = openAuthorizers({
    send: (request, signal) => sender.exchange(request, signal),
    now: options.now,
    places: options,
  });
  const means: Means = { sender, authorizers, options };
  return {
    send: (request, signal) => new Delivery(request, signal, means).run(),
    close: () => sender.close(),
  };
}

/** What all deliveries share. */
interface Means {
  readonly sender: Sender;
  readonly authorizers: Authorizers;
  readonly options: HttpDriverOptions;
}

/** Whether its connection was closed meanwhile; what can be sent twice is then sent over a new one. */
function isSentAnew({ stale, fault }: OneExchange, { method, retry }: SavableRequest): boolean {
  return stale === true && fault?.kind === 'reset' && retry !== 'none' && isIdempotent(method);
}

/** Everything that is done to have one request answered. */
class Delivery {
  readonly #trail: Exchange[] = [];

  /** Of the credentials of the request, whose kind is its own. */
  readonly #authorizer: Authorizer<ExchangedCredentials> | undefined;

  constructor(
    readonly request: SavableRequest,
    readonly signal: AbortSignal,
    readonly means: Means,
  ) {
    const { auth } = request;
    this.#authorizer = auth && (means.authorizers[auth.kind] as Authorizer<ExchangedCredentials>);
  }

  async run(): Promise<Sent> {
    const { request, signal, means } = this;
    for (let tries = 1; ; tries++) {
      await this.#attempt(tries > 1 ? 'retry' : undefined);
      const { now, sleep } = means.options;
      const wait = waitBeforeRetry(request, this.#trail.at(-1)!, tries, now());
      if (wait === undefined || signal.aborted) break;
      await sleep(wait, signal);
      if (signal.aborted) break;
    }
    const secrets = this.#authorizer?.secretsIn?.(this.#trail) ?? [];
    return { exchanges: this.#trail, ...(secrets.length > 0 && { secrets }) };
  }

  /** The request, authorized, and the redirects that follow. */
  async #attempt(first: Exchange['cause']): Promise<void> {
    const authorization = this.#authorizer?.authorize ? await this.#authorize() : undefined;
    if (authorization === null) return;
    const challenges = this.#authorizer?.challenges;
    let current = this.request;
    let cause = first;
    for (let redirects = 0; ; redirects++) {
      const last =
        current.auth && challenges
          ? await this.#sendChallenged(current, challenges, cause)
          : await this.#send(current, current.auth && authorization, cause);
      const target = last.response && redirectTarget(last.response);
      if (target === undefined || this.request.redirects === 0) return;
      if (redirects === this.request.redirects) {
        const { response, ...rest } = last;
        this.#trail.pop();
        this.#trail.push({ ...rest, fault: tooManyRedirects(this.request, response!.url) });
        return;
      }
      const { status } = last.response!;
      const refused = bodyStaysHere(current, status, target);
      if (refused) {
        const { body: _kept, ...bodiless } = current;
        this.#trail.push({
          ...unsendable({ ...bodiless, url: target, headers: [] }, refused),
          cause: 'redirect',
        });
        return;
      }
      current = redirected(current, status, target);
      cause = 'redirect';
    }
  }

  /** The header Authorization; null where none came. */
  async #authorize(): Promise<string | null> {
    const { request, signal } = this;
    const { header, fault, exchanges } = await this.#authorizer!.authorize!(request.auth!, request, signal);
    this.#trail.push(...exchanges);
    if (!fault) return header!;
    this.#trail.push(unsendable(request, fault));
    return null;
  }

  async #sendChallenged(
    request: SavableRequest,
    challenges: ChallengeAnswers<ExchangedCredentials>,
    cause: Exchange['cause'],
  ): Promise<Exchange> {
    const credentials = request.auth!;
    const known = await challenges.anticipate(credentials, request);
    const first = await this.#send(request, known, cause);
    if (first.response?.status !== 401) return first;
    const { headers } = first.response;
    const answer = await challenges.answer(credentials, request, headers, known !== undefined);
    return answer === undefined ? first : this.#send(request, answer, 'challenge');
  }

  /** One request with its cookies. */
  async #send(
    request: SavableRequest,
    authorization: string | undefined,
    cause: Exchange['cause'],
  ): Promise<Exchange> {
    const { sender } = this.means;
    const jar = request.jar as Jar | undefined;
    const isElsewhere = cause === 'redirect' && !sameOrigin(request.url, this.request.url);
    const cookies = jar
      ? withCookies(request.headers, jar.headerFor(request.url, isElsewhere))
      : request.headers;
    const headers: readonly Header[] =
      authorization === undefined ? cookies : [...cookies, ['Authorization', authorization]];
    const ready = headers === request.headers ? request : { ...request, headers };
    let exchange: OneExchange = await sender.exchange(ready, this.signal);
    let reason = cause;
    if (isSentAnew(exchange, request)) {
      const { fault } = exchange;
      this.#tell(exchange, cause);
      exchange = await sender.exchange(ready, this.signal);
      reason = 'retry';
      exchange = { ...exchange, fresh: true };
      // What went wrong first counts; else it would hang on who noticed the end of the connection earlier.
      if (exchange.fault && exchange.fault.kind !== 'interrupted')
        exchange = { ...exchange, firstFault: fault! };
    }
    if (jar && setsCookies(exchange)) await jar.store(exchange);
    return this.#tell(exchange, reason);
  }

  #tell(exchange: Exchange, cause: Exchange['cause']): Exchange {
    const told = cause === undefined ? exchange : { ...exchange, cause };
    this.#trail.push(told);
    return told;
  }
}
