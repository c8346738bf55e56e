import type { ClientAuth } from 'oauth4webapi';
import type { OAuthCredentials } from '../../../core/auth/oauth2/credentials.ts';
import type { Exchange } from '../../../core/model/http-messages.ts';
import type { OutgoingRequest } from '../../../core/steps/http/http-port.ts';
import type { Authorized, Authorizer } from '../authorizer.ts';

interface Token {
  readonly text: string;
  /** In milliseconds since 1970. */
  readonly renewAt: number;
  readonly refresh: string | undefined;
}

/** A token that did not come; the message says why. */
class TokenError extends Error {}

/** A token is renewed so long before it runs out, or a tenth of its life where that is less. */
const margin = 30_000;

/**
 * The tokens of OAuth 2.0 (RFC 6749), by what they were asked for with: fetched once, shared by all requests that need
 * them, renewed before they run out.
 */
export class OAuthAuthorizer implements Authorizer<OAuthCredentials> {
  readonly #tokens = new Map<string, Promise<Token>>();

  constructor(
    readonly send: (request: OutgoingRequest, signal: AbortSignal) => Promise<Exchange>,
    readonly now: () => number,
  ) {}

  /** @param request the one that needs the token; the token is fetched in the way in which that is sent */
  async authorize(
    auth: OAuthCredentials,
    request: OutgoingRequest,
    signal: AbortSignal,
  ): Promise<Authorized> {
    const key = JSON.stringify([auth.flow, ...auth.fields]);
    const exchanges: Exchange[] = [];
    let waiting = this.#tokens.get(key);
    let token = await waiting?.catch(() => undefined);
    if (!token || token.renewAt <= this.now()) {
      // Whoever came first fetches it; the others wait for the same one.
      if (this.#tokens.get(key) === waiting) {
        const send = async (fetched: OutgoingRequest) => {
          const exchange: Exchange = { ...(await this.send(fetched, signal)), cause: 'token' };
          exchanges.push(exchange);
          return exchange;
        };
        waiting = this.#fetch(auth, token?.refresh, request, send);
        this.#tokens.set(key, waiting);
      }
      try {
        token = await this.#tokens.get(key)!;
      } catch (error) {
        this.#tokens.delete(key);
        if (!(error instanceof TokenError)) throw error;
        return { fault: { kind: 'unsendable', message: error.message }, exchanges };
      }
    }
    return { header: `Bearer ${token.text}`, exchanges };
  }

  secretsIn(exchanges: readonly Exchange[]): string[] {
    return secretsOf(exchanges);
  }

  async #fetch(
    { flow, fields }: OAuthCredentials,
    refresh: string | undefined,
    request: OutgoingRequest,
    send: (request: OutgoingRequest) => Promise<Exchange>,
  ): Promise<Token> {
    const library = await import('oauth4webapi');
    const url = fields.get('token-url')!;
    if (!/^https?:\/\//.test(url) || !URL.canParse(url))
      throw new TokenError(`The 'token-url' of 'auth' is no address that can be called: '${url}'.`);
    const server = { issuer: new URL(url).origin, token_endpoint: url };
    const client = { client_id: fields.get('client-id')! };
    const parameters = parametersOf(flow, fields, refresh);
    let exchange: Exchange | undefined;
    const fetchAsWeDo = async (address: string, wanted: Wanted) => {
      exchange = await send(tokenRequest(request, address, wanted));
      if (!exchange.response) throw new TokenError(`No token from ${url}: ${exchange.fault!.message}`);
      return responseFor(exchange.response);
    };
    try {
      const answer = await library.genericTokenEndpointRequest(
        server,
        client,
        clientAuthentication(library, fields),
        flow === 'refresh-token' ? 'refresh_token' : flow === 'password' ? 'password' : 'client_credentials',
        parameters,
        { [library.customFetch]: fetchAsWeDo, [library.allowInsecureRequests]: true },
      );
      const told = await library.processGenericTokenEndpointResponse(server, client, answer);
      const life = told.expires_in === undefined ? Number.POSITIVE_INFINITY : told.expires_in * 1000;
      return {
        text: told.access_token,
        renewAt: this.now() + life - Math.min(margin, life / 10),
        refresh: flow === 'refresh-token' ? (told.refresh_token ?? refresh) : undefined,
      };
    } catch (error) {
      if (error instanceof TokenError) throw error;
      throw new TokenError(`No token from ${url}: ${reasonOf(error as Error, exchange)}`);
    }
  }
}

type Fields = OAuthCredentials['fields'];

function parametersOf(
  flow: OAuthCredentials['flow'],
  fields: Fields,
  refresh: string | undefined,
): Record<string, string> {
  const parameters: Record<string, string> = {};
  const take = (key: string, as: string) => {
    const value = fields.get(key);
    if (value !== undefined) parameters[as] = value;
  };
  take('scope', 'scope');
  take('audience', 'audience');
  if (flow === 'password') {
    take('user', 'username');
    take('password', 'password');
  }
  if (flow === 'refresh-token') parameters.refresh_token = refresh ?? fields.get('refresh-token')!;
  return parameters;
}

function clientAuthentication(library: typeof import('oauth4webapi'), fields: Fields) {
  const secret = fields.get('client-secret');
  if (secret === undefined || fields.get('client-auth') === 'none') return library.None();
  return fields.get('client-auth') === 'body'
    ? library.ClientSecretPost(secret)
    : basicAuthentication(fields.get('client-id')!, secret);
}

/**
 * RFC 6749, 2.3.1: encoded as a form has it, and no further than that. Many servers do not decode it at all, so a `-` of
 * a name must not become `%2D`.
 */
function basicAuthentication(client: string, secret: string): ClientAuth {
  const encode = (text: string) => new URLSearchParams([['', text]]).toString().slice(1);
  const account = Buffer.from(`${encode(client)}:${encode(secret)}`).toString('base64');
  return (_server, _client, _body, headers) => headers.set('authorization', `Basic ${account}`);
}

/** What the package wants to be sent. */
interface Wanted {
  readonly method: string;
  readonly headers: Record<string, string>;
  readonly body?: unknown;
}

/** The token is fetched with the same limits, authorities and proxy as the request that needs it. */
function tokenRequest(
  { timeout, tls, proxy, limits }: OutgoingRequest,
  url: string,
  { method, headers, body }: Wanted,
): OutgoingRequest {
  const named = Object.entries(headers).filter(([name]) => !/^user-agent$/i.test(name));
  return {
    method,
    url,
    headers: [['User-Agent', 'mervok'], ...named],
    ...(body !== undefined && body !== null && { body: [String(body)] }),
    credentials: new Set(),
    timeout,
    redirects: 0,
    tls,
    ...(proxy !== undefined && { proxy }),
    limits,
  };
}

function responseFor({ status, headers, body }: NonNullable<Exchange['response']>): Response {
  return new Response(status === 204 || status === 304 ? null : new Uint8Array(withoutIdentity(body)), {
    status,
    headers: headers.map(([name, value]): [string, string] => [name, value]),
  });
}

/** Who signed in, and whether that is told rightly, is not for the one to check who only needs the token. */
function withoutIdentity(body: Uint8Array): Buffer {
  const text = Buffer.from(body).toString('utf8');
  try {
    const { id_token, ...rest } = JSON.parse(text);
    return Buffer.from(JSON.stringify(rest));
  } catch {
    return Buffer.from(text);
  }
}

function reasonOf(
  error: Error & { error?: string; error_description?: string },
  exchange: Exchange | undefined,
): string {
  const status = exchange?.response ? `its status is ${exchange.response.status}` : '';
  if (error.error !== undefined) {
    const detail = error.error_description === undefined ? '' : `, ${error.error_description}`;
    return `${status}, ${error.error}${detail}. Are the names and secrets of 'auth' right?`;
  }
  return status === ''
    ? `${error.message}.`
    : `${status}, and its answer is none of OAuth 2.0 (${error.message}).`;
}

/** What of a token's response must not be shown. */
function secretsOf(exchanges: readonly Exchange[]): string[] {
  return exchanges.flatMap(({ response, cause }) => {
    if (cause !== 'token' || !response) return [];
    try {
      const told = JSON.parse(Buffer.from(response.body).toString('utf8'));
      return ['access_token', 'refresh_token', 'id_token'].flatMap(name =>
        typeof told[name] === 'string' ? [told[name]] : [],
      );
    } catch {
      return [];
    }
  });
}
