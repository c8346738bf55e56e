import type { Cookie, CookieJar as ToughJar } from 'tough-cookie';
import type { Exchange } from '../../core/model/http-messages.ts';
import type { CookieJar } from '../../core/steps/http/http-port.ts';

let library: typeof import('tough-cookie') | undefined;

/** The cookies of a page (RFC 6265). What keeps them is not loaded before the first one comes. */
export class Jar implements CookieJar {
  #jar: ToughJar | undefined;
  /** The origins that have set a cookie of one host alone. */
  readonly #setters = new Map<string, Set<string>>();

  /** A jar that begins with the cookies of others as they are now; later ones win. */
  static from(others: readonly CookieJar[]): Jar {
    const jar = new Jar();
    for (const other of others as Jar[]) {
      if (other.#jar) jar.#take(other.#jar);
      for (const [key, origins] of other.#setters)
        jar.#setters.set(key, new Set([...(jar.#setters.get(key) ?? []), ...origins]));
    }
    return jar;
  }

  get isEmpty(): boolean {
    return this.#jar === undefined;
  }

  /**
   * The value of the Cookie header for a URL, if there is any.
   * @param isElsewhere whether a redirect leads to another origin: what another port of the host has set stays behind
   */
  headerFor(url: string, isElsewhere = false): string | undefined {
    if (!isElsewhere) return this.#jar?.getCookieStringSync(url) || undefined;
    const { origin } = new URL(url);
    const cookies = this.#jar?.getCookiesSync(url).filter(cookie => {
      const setters = this.#setters.get(keyOf(cookie));
      return !cookie.hostOnly || setters === undefined || setters.has(origin);
    });
    return cookies?.map(cookie => cookie.cookieString()).join('; ') || undefined;
  }

  /** Takes in what a response sets. What a server may not set is passed over, as browsers do. */
  async store({ response }: Exchange): Promise<void> {
    if (!response) return;
    library ??= await import('tough-cookie');
    // Loopback is no safe connection either: what is marked as Secure waits for one.
    this.#jar ??= new library.CookieJar(undefined, { allowSecureOnLocal: false });
    const { origin } = new URL(response.url);
    for (const [name, line] of response.headers) {
      if (!isSetCookie(name)) continue;
      const cookie = this.#jar.setCookieSync(line, response.url, { ignoreError: true });
      if (!cookie) continue;
      const setters = this.#setters.get(keyOf(cookie));
      if (setters) setters.add(origin);
      else this.#setters.set(keyOf(cookie), new Set([origin]));
    }
  }

  #take(other: ToughJar): void {
    const copy = other.cloneSync();
    if (!this.#jar) {
      this.#jar = copy as ToughJar;
      return;
    }
    for (const cookie of copy?.serializeSync()?.cookies ?? [])
      void this.#jar.store.putCookie(library!.Cookie.fromJSON(cookie)!, () => undefined);
  }
}

function keyOf({ domain, path, key }: Cookie): string {
  return `${domain};${path};${key}`;
}

export function setsCookies({ response }: Exchange): boolean {
  return response?.headers.some(([name]) => isSetCookie(name)) === true;
}

function isSetCookie(name: string): boolean {
  return name.length === 10 && name.toLowerCase() === 'set-cookie';
}

/** Adds the cookies of a jar to those that the request itself names; one of the same name is left as it is written. */
export function withCookies(
  headers: readonly (readonly [string, string])[],
  fromJar: string | undefined,
): readonly (readonly [string, string])[] {
  if (fromJar === undefined) return headers;
  const own = headers.find(([name]) => name.toLowerCase() === 'cookie');
  if (!own) return [...headers, ['Cookie', fromJar]];
  const names = new Set(namesOf(own[1]));
  const added = fromJar.split('; ').filter(pair => !names.has(pair.split('=')[0]!));
  return headers.map(header => (header === own ? [own[0], [own[1], ...added].join('; ')] : header));
}

function namesOf(cookies: string): string[] {
  return cookies.split(';').map(pair => pair.split('=')[0]!.trim());
}
