import type Ajv from 'ajv';
import type { ErrorObject } from 'ajv';
import type { Difference } from '../../language/difference.ts';
import { openedValidator } from '../../language/documents/schema.ts';
import { differencesIn } from '../../language/documents/schema-differences.ts';
import { withinTime } from '../../text/time-limit.ts';
import type { OpenApiVersion } from '../api.ts';
import type { DocumentSet, Located } from '../document/document-set.ts';
import type { Json } from '../document/json.ts';
import {
  type Conversion,
  convertSchema,
  type Direction,
  patternOf,
  unusableKeyword,
} from './convert-schema.ts';

/** Why a schema cannot be used, as a sentence without its full stop. */
export class SchemaUnusable extends Error {}

/** So long, in milliseconds, it may take to look at one value, where that could take time without end. */
const timeout = 2000;

/** Everything in which a value does not fit; nothing where it does. */
export type SchemaCheck = (value: unknown) => readonly ErrorObject[];

/**
 * The schemas of a definition, as validators of values that go in one direction. Each is made when it is first asked for,
 * with those that it refers to, which are made once. `loadSchemas()` comes before.
 */
export class SchemaSet implements Conversion {
  readonly #validator: Ajv;
  readonly #names = new Map<Json, { plain?: string; whole?: string }>();
  readonly #waiting: { name: string; located: Located; plainly: boolean }[] = [];
  readonly #checks = new Map<Json, SchemaCheck>();
  #count = 0;
  #mayHang = false;

  constructor(
    readonly version: OpenApiVersion,
    readonly documents: DocumentSet,
    readonly direction: Direction,
  ) {
    this.#validator = openedValidator('2020-12', {
      allErrors: true,
      strict: false,
      ownProperties: true,
      verbose: true,
      multipleOfPrecision: 9,
      logger: false,
      meta: false,
      validateSchema: false,
      validateFormats: true,
      inlineRefs: false,
      code: {
        optimize: false,
        regExp: Object.assign((pattern: string) => this.#pattern(pattern), { code: 'none' }),
      },
    });
    this.#validator.addKeyword({ keyword: unusableKeyword, validate: unusable });
  }

  #pattern(text: string): RegExp {
    if (isRisky(text)) this.#mayHang = true;
    return patternOf(text)!;
  }

  nameOf({ value, document }: Located, plainly = false): string {
    // Numbers and texts are no schemas, and have no identity.
    const known = this.#names.get(value) ?? {};
    this.#names.set(value, known);
    const key = plainly ? 'plain' : 'whole';
    const name = known[key] ?? `s:${++this.#count}`;
    if (known[key] === undefined) {
      known[key] = name;
      this.#waiting.push({ name, located: { value, document }, plainly });
    }
    return name;
  }

  /** The validator of a schema. */
  check(located: Located): SchemaCheck {
    const known = this.#checks.get(located.value);
    if (known) return known;
    const schema = convertSchema(located, this);
    for (;;) {
      const next = this.#waiting.pop();
      if (!next) break;
      this.#validator.addSchema(convertSchema(next.located, this, next.plainly) as object, next.name);
    }
    const validate = this.#validator.compile(schema as object);
    const check: SchemaCheck = value => (validate(value) ? [] : (validate.errors ?? []));
    this.#checks.set(located.value, check);
    return check;
  }

  /**
   * Everything in which a value does not fit, by its place. Throws SchemaUnusable, TimeLimitError, and RangeError for a
   * schema that comes to itself without end.
   */
  differences(located: Located, value: unknown, begin: string): readonly Difference[] {
    const check = this.check(located);
    const errors = this.#mayHang
      ? withinTime(timeout, 'the comparison with the schema', () => check(value))
      : check(value);
    return errors.length === 0 ? none : differencesIn(errors, value, begin);
  }
}

function unusable(reason: string): never {
  throw new SchemaUnusable(`the schema cannot be used: ${reason.replace(/\.$/, '')}`);
}

const none: readonly Difference[] = [];

/** Whether an engine that tries one way after the other may take time without end: several parts may repeat. */
function isRisky(pattern: string): boolean {
  const plain = pattern.replace(/\\./g, 'x').replace(/\[[^\]]*\]/g, 'x');
  const repeats = plain.match(/[*+]|\{\d+,\d*\}/g) ?? [];
  return repeats.length > 1 || /\)(?:[*+]|\{)/.test(plain);
}
