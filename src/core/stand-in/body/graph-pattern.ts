import { isObject } from '../../model/value.ts';
import type { PlannedBody } from '../../steps/http/planned-request.ts';
import { readJson } from '../../values/json-document.ts';
import type { Bindings } from '../bindings.ts';
import type { BodyPattern, ReceivedBody } from './body-pattern.ts';
import { JsonPattern, missesInJson } from './json-pattern.ts';
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
    return missesInJson(text, sent => {
      if (!isObject(sent) || typeof sent.query !== 'string' || withoutSpace(sent.query) !== this.#document)
        return 'would have to have the same query';
      return this.#variables?.matches(sent.variables ?? {}, bindings)?.replace('$', 'variables');
    });
  }
}

/** Commas are white space in GraphQL. */
function withoutSpace(document: string): string {
  return document.replace(/#.*$/gm, '').replace(/[\s,]+/g, '');
}
