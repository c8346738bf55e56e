import { encodeForm, encodeQuery } from '../template/encode.ts';
import { textOf } from '../values/text.ts';
import { isObject, type Value } from '../values/value.ts';

/** What stands in the place of a secret. */
const mask = '[secret]';

/** What the program itself says in an event; a secret that happens to be such a word must not change what happened. */
const structural = new Set(['type', 'holds', 'outcome', 'kind', 'case', 'place', 'file', 'by', 'cause']);

/**
 * Replaces secrets in everything that is printed or written, in every form in which they can appear: those of the whole
 * run, and those of all passes that are under way, since what one user has come by may stand in the answer to another.
 */
export class Masker {
  readonly #run: Masker;
  /** Made where the first one comes: there is a masker for every pass, and most have none. */
  #secrets: Set<string> | undefined;
  /** Of a run: the passes that are under way and have come by secrets. */
  #passes: Set<Masker> | undefined;
  /** Whether secrets have come since the forms were made. */
  #isStale = false;
  #known: Forms | undefined;

  constructor(run?: Masker) {
    this.#run = run ?? this;
  }

  /** For what one pass comes by: what is known must not grow with their number. */
  forPass(): Masker {
    return new Masker(this.#run);
  }

  /** Forgets what the pass has come by, once everything of it has been told. */
  end(): void {
    this.#run.#passes?.delete(this);
  }

  /** Texts of less than three characters are not masked: they would blot out everything. */
  #add(secret: string): void {
    const run = this.#run;
    if (secret.length < 3 || run.#secrets?.has(secret) || this.#secrets?.has(secret)) return;
    this.#secrets ??= new Set();
    this.#secrets.add(secret);
    if (this !== run) {
      run.#passes ??= new Set();
      run.#passes.add(this);
    }
    run.#isStale = true;
  }

  /** Every text in a value that is secret for the whole run, or for this pass. */
  addValue(value: Value, how: 'lasting' | 'passing'): void {
    if (Array.isArray(value)) for (const item of value) this.addValue(item, how);
    else if (isObject(value)) for (const item of Object.values(value)) this.addValue(item, how);
    else {
      const text = textOf(value);
      if (text === undefined || typeof value === 'boolean') return;
      if (how === 'lasting') this.#run.#add(text);
      else this.#add(text);
    }
  }

  /** Whether nothing has come yet that is to be masked. */
  get isEmpty(): boolean {
    return this.#run.#known === undefined && !this.#run.#isStale;
  }

  /** Made anew where secrets have come. */
  get #forms(): Forms | undefined {
    const run = this.#run;
    if (!run.#isStale) return run.#known;
    run.#isStale = false;
    const secrets = [run, ...(run.#passes ?? [])].flatMap(each => [...(each.#secrets ?? [])]);
    const texts = [...new Set(secrets.flatMap(formsOf))].sort((a, b) => b.length - a.length);
    const nested = secrets.flatMap(secret => nestedPattern(secret) ?? []);
    const pattern = [...nested, ...texts.map(escapePattern)].join('|');
    // An empty pattern would match everywhere.
    run.#known = texts.length === 0 ? undefined : { texts, pattern: new RegExp(pattern, 'g') };
    return run.#known;
  }

  text(text: string): string {
    const forms = this.#forms;
    return forms ? maskText(text, forms) : text;
  }

  /** The same in every text of an event that came from outside, or that somebody wrote. */
  deep<T>(value: T): T {
    const forms = this.#forms;
    return forms ? maskDeep(value, forms) : value;
  }
}

/** Every form of every secret, the longest first, and what finds them. */
interface Forms {
  readonly texts: readonly string[];
  readonly pattern: RegExp;
}

/** What `cut` puts behind a text that was too long. */
const cutMark = ' …';

function maskText(text: string, forms: Forms): string {
  const masked = text.replace(forms.pattern, mask);
  const end = masked.endsWith(cutMark) ? masked.length - cutMark.length : -1;
  return end < 0 ? masked : maskEnd(masked.slice(0, end), forms) + cutMark;
}

/** Where a text was cut, a secret may have been cut with it: its beginning is masked too, from three characters on. */
function maskEnd(text: string, { texts }: Forms): string {
  for (const form of texts)
    for (let length = Math.min(form.length - 1, text.length); length >= 3; length--)
      if (text.endsWith(form.slice(0, length))) return text.slice(0, -length) + mask;
  return text;
}

function maskDeep<T>(value: T, forms: Forms): T {
  if (typeof value === 'string') return maskText(value, forms) as T;
  if (Array.isArray(value)) return value.map(item => maskDeep(item, forms)) as T;
  if (typeof value !== 'object' || value === null) return value;
  const members = Object.entries(value);
  const isCut = (value as { cut?: unknown }).cut === true;
  return Object.fromEntries(
    members.map(([name, each]) => {
      if (structural.has(name)) return [name, each];
      const masked = maskDeep(each, forms);
      return [name, isCut && typeof masked === 'string' ? maskEnd(masked, forms) : masked];
    }),
  ) as T;
}

function escapePattern(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
}

/**
 * JSON in a text of JSON in a text of JSON, as where a body that tells of a body is told of: every level puts more
 * backslashes before what has to be escaped. Nothing where nothing has to be.
 */
function nestedPattern(secret: string): string | undefined {
  const json = JSON.stringify(secret).slice(1, -1);
  if (json === secret || /^\\+$/.test(json)) return undefined;
  // A limit, since a response may hold nothing but backslashes.
  return json.split(/\\+/).map(escapePattern).join('\\\\{1,64}');
}

function formsOf(secret: string): string[] {
  const bytes = Buffer.from(secret, 'utf8');
  const json = JSON.stringify(secret).slice(1, -1);
  const xml = secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
  const hex = bytes.toString('hex');
  const forms = [
    secret,
    encodeURIComponent(secret),
    encodeURIComponent(secret).replace(
      /[!'()*~]/g,
      char => `%${char.charCodeAt(0).toString(16).toUpperCase()}`,
    ),
    encodeURIComponent(secret).replaceAll('%20', '+'),
    encodeForm(secret),
    encodeQuery(secret),
    json,
    // A body that tells of another one holds it escaped twice.
    JSON.stringify(json).slice(1, -1),
    json.replaceAll('/', '\\/'),
    xml,
    xml.replaceAll('"', '&quot;').replaceAll("'", '&apos;'),
    hex,
    hex.toUpperCase(),
    ...base64Forms(bytes),
  ];
  return forms.filter(form => form.length >= 3);
}

/** Inside a longer base64 text a secret may begin at any of three places; its first and last characters then vary. */
function base64Forms(bytes: Buffer): string[] {
  if (bytes.length < 6) return [bytes.toString('base64')];
  return [0, 1, 2].flatMap(shift => {
    const padded = Buffer.concat([Buffer.alloc(shift), bytes]);
    const whole = padded.toString('base64');
    const first = shift === 0 ? 0 : shift + 1;
    const last = Math.floor((padded.length * 8) / 6);
    const inner = whole.slice(first, last);
    return [inner, inner.replaceAll('+', '-').replaceAll('/', '_')];
  });
}

/** Headers whose values are never shown. */
const alwaysRedacted = new Set(['authorization', 'proxy-authorization', 'cookie', 'set-cookie']);
const none: ReadonlySet<string> = new Set();

/** The same list where nothing in it is to be hidden. */
export function redactHeaders(
  headers: readonly (readonly [string, string])[],
  more: ReadonlySet<string> = none,
): [string, string][] {
  for (const [name] of headers)
    if (isHidden(name, more))
      return headers.map(([each, value]) => [each, isHidden(each, more) ? mask : value]);
  return headers as [string, string][];
}

/** Asked of every header of every exchange, and most are too short or too long. */
function isHidden(name: string, more: ReadonlySet<string>): boolean {
  const { length } = name;
  const maybe = length === 6 || length === 10 || length === 13 || length === 19 || more.size > 0;
  if (!maybe) return false;
  const lower = name.toLowerCase();
  return alwaysRedacted.has(lower) || more.has(lower);
}
