import type { CookieJar as ToughJar } from 'tough-cookie';
import type { CookieJar, Exchange } from '../../core/engine/ports.ts';

let library: typeof import('tough-cookie') | undefined;

/** The cookies of a page (RFC 6265). What keeps them is not loaded before the first one comes. */
export class Jar implements CookieJar {
  #jar: ToughJar | undefined;

  /** A jar that begins with the cookies of others as they are now; later ones win. */
  static from(others: readonly CookieJar[]): Jar {
    const jar = new Jar();
    for (const other of others as Jar[]) if (other.#jar) jar.#take(other.#jar);
    return jar;
  }

  get isEmpty(): boolean {
    return this.#jar === undefined;
  }

  /** The value of the Cookie header for a URL, if there is any. */
  headerFor(url: string): string | undefined {
    return this.#jar?.getCookieStringSync(url) || undefined;
  }

  /** Takes in what a response sets. What a server may not set is passed over, as browsers do. */
  async store({ response }: Exchange): Promise<void> {
    if (!response) return;
    library ??= await import('tough-cookie');
    this.#jar ??= new library.CookieJar();
    for (const [name, line] of response.headers)
      if (isSetCookie(name)) this.#jar.setCookieSync(line, response.url, { ignoreError: true });
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
