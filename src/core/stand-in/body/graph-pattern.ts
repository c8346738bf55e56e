import { isObject, type Value } from '../../model/value.ts';
import type { PlannedBody } from '../../steps/http/planned-request.ts';
import { JsonError, readJson } from '../../values/json-document.ts';
import type { Bindings } from '../bindings.ts';
import { type BodyPattern, type ReceivedBody, unreadable } from './body-pattern.ts';
import { JsonPattern } from './json-pattern.ts';
import { marked } from './marks.ts';

/** A query of GraphQL: its document without white space, and what is written of its variables. */
export class GraphPattern implements BodyPattern {
  readonly #document: string;
  readonly #variables: JsonPattern | undefined;

  constructor({ document, variables }: Extract<PlannedBody, { kind: 'graphql' }>) {
    this.#document = withoutSpace(document);
    this.#variables = variables && new JsonPattern(readJson(marked(variables)));
  }

  get conditions(): number {
    return 1 + (this.#variables?.conditions ?? 0);
  }

  get form(): string {
    return `${this.#document} ${this.#variables?.form ?? ''}`;
  }

  get literals(): number {
    return 1 + (this.#variables?.literals ?? 0);
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    let sent: Value;
    try {
      sent = readJson(text);
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return `${unreadable}JSON: ${error.message}`;
    }
    if (!isObject(sent) || typeof sent.query !== 'string' || withoutSpace(sent.query) !== this.#document)
      return 'would have to have the same query';
    return this.#variables?.matches(sent.variables ?? {}, bindings)?.replace('$', 'variables');
  }
}

/** Commas are white space in GraphQL. */
function withoutSpace(document: string): string {
  return document.replace(/#.*$/gm, '').replace(/[\s,]+/g, '');
}
