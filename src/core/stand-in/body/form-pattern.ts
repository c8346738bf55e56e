import type { PlannedBody } from '../../steps/http/planned-request.ts';
import type { Bindings } from '../bindings.ts';
import { pairsOf } from '../target-pattern.ts';
import { TextPattern } from '../text-pattern.ts';
import type { BodyPattern, ReceivedBody } from './body-pattern.ts';
import { pieces } from './marks.ts';

/** A form that has to have the fields that are written. */
export class FormPattern implements BodyPattern {
  readonly #fields: readonly {
    readonly name: TextPattern;
    readonly value: TextPattern | undefined;
    readonly written: string;
  }[];

  constructor({
    fields,
  }: {
    readonly fields:
      | Extract<PlannedBody, { kind: 'form' | 'multipart' }>['fields']
      | readonly (readonly [string, string])[];
  }) {
    this.#fields = fields.map(field => {
      if (!('name' in field)) {
        const [name, value] = field;
        return { name: new TextPattern(pieces(name)), value: new TextPattern(pieces(value)), written: name };
      }
      const { name, value, isFile } = field;
      const written = name.parts.filter(part => typeof part === 'string').join('');
      return { name: TextPattern.of(name), value: isFile ? undefined : TextPattern.of(value), written };
    });
  }

  get conditions(): number {
    return this.#fields.length;
  }

  get form(): string {
    return this.#fields
      .map(({ name, value }) => `${name.form}=${value?.form ?? 'file'}`)
      .sort()
      .join('&');
  }

  get literals(): number {
    return this.#fields.filter(({ value }) => value?.literal !== undefined).length;
  }

  misses({ text, fields }: ReceivedBody, bindings: Bindings): string | undefined {
    const pairs = fields ?? pairsOf(text);
    const missing = this.#fields.find(
      ({ name, value }) =>
        !pairs.some(
          ([own, sent]) => name.matches(own, bindings) && (!value || value.matches(sent, bindings)),
        ),
    );
    return missing && `would have to have the field '${missing.written}' as it is written there`;
  }
}
