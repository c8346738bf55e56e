import type { Node } from 'yaml';
import type { Scene } from '../language/scene.ts';
import type { Reference } from '../template/reference.ts';
import { Misfit, valueFor } from '../template/render.ts';
import { parseTemplateText, referencesOf } from '../template/template.ts';
import { Mistake } from '../text/finding.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Excerpt } from '../text/source.ts';
import { textOf } from '../values/text.ts';
import { Plain, type Value } from '../values/value.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import { variableForms } from './keys.ts';
import { type Libraries, rangeOf } from './yaml-reader.ts';

interface Part {
  readonly references: readonly Reference[];
  /** Its text, where it refers to nothing. */
  readonly literal?: string;
  evaluate(scene: Pick<Scene, 'lookup'>): Value;
}

/** Reads the variables of one level. */
export class VariableReader {
  constructor(
    readonly libraries: Libraries,
    readonly excerpt: Excerpt,
  ) {}

  /** Reads the value of a variable. Throws Mistake where its form is not known. */
  read(name: string, node: Node | null, origin: string, alwaysSecret: boolean): VariableDefinition {
    const range = rangeOf(node, this.excerpt);
    const form = this.libraries.isMap(node) ? this.#formOf(node) : undefined;
    const base = {
      name,
      origin,
      source: this.excerpt.source,
      range,
      secret: alwaysSecret || form?.secret === true,
    };
    if (form?.kind !== 'os') {
      const part = this.#readPart(form ? form.node : node);
      return {
        ...base,
        references: part.references,
        ...(part.literal !== undefined && { literal: part.literal }),
        resolve: scene => ({ value: part.evaluate(scene), origin }),
      };
    }
    const osName = String(this.libraries.isScalar(form.node) ? form.node.value : '');
    return {
      ...base,
      references: [],
      resolve: (_scene, environment) => {
        const text = environment(osName);
        if (text !== undefined)
          return { value: new Plain(text), origin: `${origin}, the environment variable ${osName}` };
        throw new Misfit(`{${name}} is the environment variable ${osName}, which is not set (${origin}).`);
      },
    };
  }

  /** `{ os: NAME }`, `{ secret: value }`, either with `secret: true`; nothing for an object that is just a value. */
  #formOf(node: Node): { kind: 'os' | 'secret'; node: Node | null; secret: boolean } | undefined {
    if (!this.libraries.isMap(node)) return undefined;
    const keys = node.items.map(pair => String(this.libraries.isScalar(pair.key) ? pair.key.value : ''));
    const kind =
      keys.find(key => variableForms.includes(key) && key !== 'secret') ??
      (keys.length === 1 && keys[0] === 'secret' ? 'secret' : undefined);
    if (kind === undefined || keys.some(key => key !== kind && key !== 'secret')) return undefined;
    const range = rangeOf(node, this.excerpt);
    if (kind === 'file' || kind === 'let')
      throw new Mistake('not-yet', range, `A variable of the form { ${kind}: … } is not there yet.`);
    const secret = node.get('secret');
    if (kind === 'os' && secret !== undefined && typeof secret !== 'boolean') {
      throw new Mistake(
        'setting-form',
        range,
        "'secret' beside 'os' is true or false.",
        didYouMean(String(secret), ['true', 'false']),
      );
    }
    return {
      kind: kind as 'os',
      node: node.get(kind, true) as Node | null,
      secret: kind === 'secret' || secret === true,
    };
  }

  #readPart(node: Node | null): Part {
    if (this.libraries.isSeq(node)) {
      const items = node.items.map(item => this.#readPart(item as Node));
      return {
        references: items.flatMap(item => item.references),
        evaluate: scene => items.map(item => item.evaluate(scene)),
      };
    }
    if (this.libraries.isMap(node)) {
      const members = node.items.map(pair => ({
        name: String(this.libraries.isScalar(pair.key) ? pair.key.value : pair.key),
        part: this.#readPart(pair.value as Node | null),
      }));
      return {
        references: members.flatMap(member => member.part.references),
        evaluate: scene =>
          Object.fromEntries(members.map(member => [member.name, member.part.evaluate(scene)])),
      };
    }
    return this.#readScalar(node);
  }

  /** An unquoted scalar keeps its characters and has no kind of its own; a quoted one is a text. */
  #readScalar(node: Node | null): Part {
    if (!this.libraries.isScalar(node) || node.value === null)
      return { references: [], evaluate: () => null };
    const plain = node.type === 'PLAIN';
    const text = plain ? (node.source ?? String(node.value)) : String(node.value);
    const template = parseTemplateText(text, 'text', rangeOf(node, this.excerpt));
    const references = referencesOf(template);
    if (references.length === 0) {
      const literal = template.parts.join('');
      const value = plain ? new Plain(literal) : literal;
      return { references, literal, evaluate: () => value };
    }
    const [only] = template.parts;
    // A reference alone hands its value on, whatever its kind.
    if (template.parts.length === 1 && typeof only === 'object')
      return { references, evaluate: scene => valueFor(only.reference, scene as Scene) };
    return {
      references,
      evaluate: scene => {
        const filled = template.parts
          .map(part => {
            if (typeof part === 'string') return part;
            const inner = textOf(valueFor(part.reference, scene as Scene));
            if (inner === undefined) throw new Misfit(`{${part.reference.name}} cannot stand in a text.`);
            return inner;
          })
          .join('');
        return plain ? new Plain(filled) : filled;
      },
    };
  }
}
