import type { Node, YAMLMap } from 'yaml';
import { compileExpression } from '../language/compile-expression.ts';
import type { Evaluate } from '../language/compile-reference.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { parseExpressions } from '../language/parser.ts';
import type { Reference } from '../language/reference.ts';
import { TemplateError, valueFor } from '../language/templates/render.ts';
import { parseTemplateText, referencesOf } from '../language/templates/template.ts';
import { referencesIn, revealing, sourcesIn } from '../language/walk.ts';
import { SourceError } from '../model/finding.ts';
import { Excerpt } from '../model/source.ts';
import { Missing, Plain, type Value } from '../model/value.ts';
import { didYouMean } from '../text/words.ts';
import { textOf } from '../values/text.ts';
import { longestText, tooLong, weighed } from '../values/weight.ts';
import { rangeOf, type YamlReader } from '../yaml/yaml-reader.ts';
import type { VariableDefinition } from './variable-definition.ts';

/** The forms of a variable that says where its value is found. */
const variableForms = ['os', 'secret', 'file', 'let'] as const;
type Form = (typeof variableForms)[number];

function isForm(key: string): key is Form {
  return (variableForms as readonly string[]).includes(key);
}

/** What the process environment is called elsewhere. */
const elsewhere =
  /^(?:env|environ|environment|env-?var(?:iable)?|from-?env|process(?:-?env)?|system|sys|shell|OS|Env|ENV|var)$/;

type Resolved = Pick<VariableDefinition, 'file' | 'computed' | 'reveals' | 'references' | 'resolve'>;

interface Part {
  readonly references: readonly Reference[];
  /** Its text, where it refers to nothing. */
  readonly literal?: string;
  readonly isPlain?: true;
  evaluate(context: Pick<EvaluationContext, 'lookup'>): Value;
}

function orTemplateError(value: Value | Missing): Value {
  if (value instanceof Missing) throw new TemplateError(`A variable is too large: ${value.reason}.`);
  return value;
}

/** Reads the variables of one level. */
export class VariableReader {
  constructor(
    readonly reader: YamlReader,
    /** In words, of all of them: `from environment local`. */
    readonly origin: string,
    readonly alwaysSecret: boolean,
  ) {}

  get #excerpt(): Excerpt {
    return this.reader.excerpt;
  }

  get #libraries(): YamlReader['libraries'] {
    return this.reader.libraries;
  }

  /** Reads the value of a variable. Throws SourceError where its form is not known. */
  read(name: string, node: Node | null): VariableDefinition {
    const { origin } = this;
    const range = rangeOf(node, this.#excerpt);
    const form = this.#libraries.isMap(node) ? this.#formOf(node) : undefined;
    const base = {
      name,
      origin,
      source: this.#excerpt.source,
      range,
      secret: this.alwaysSecret || form?.secret === true,
    };
    if (form?.kind === 'file') return { ...base, ...this.#readFile(name, form.node) };
    if (form?.kind === 'let') return { ...base, ...this.#readLet(name, form.node) };
    if (form?.kind !== 'os') {
      if (!base.secret) this.#refuseForeignReferences(form ? form.node : node);
      const part = this.#readPart(form ? form.node : node);
      return {
        ...base,
        references: part.references,
        ...(part.literal !== undefined && { literal: part.literal }),
        ...(part.isPlain && { isPlain: true }),
        resolve: context => ({ value: part.evaluate(context), origin }),
      };
    }
    const osName = String(this.#libraries.isScalar(form.node) ? form.node.value : '');
    const bare = /^\$\{?(\w+)\}?$|^%(\w+)%$/.exec(osName);
    if (bare)
      throw new SourceError(
        'setting-form',
        range,
        'The name of an environment variable stands alone.',
        `Write { os: ${bare[1] ?? bare[2]} }.`,
      );
    return {
      ...base,
      os: osName,
      references: [],
      resolve: (_context, { variable }) => {
        const text = variable(osName);
        if (text !== undefined)
          return { value: new Plain(text), origin: `${origin}, the environment variable ${osName}` };
        throw new TemplateError(
          `{${name}} is the environment variable ${osName}, which is not set (${origin}).`,
        );
      },
    };
  }

  /** Its path is relative to the file that it is written in; the last line end is no part of the value. */
  #readFile(name: string, node: Node | null): Resolved {
    const { origin } = this;
    const path = this.#textOf(node);
    const file = this.reader.pathBeside(path);
    return {
      file,
      references: [],
      resolve: (_context, external) => {
        const text = external.file(file);
        if (text instanceof Missing)
          throw new TemplateError(`{${name}} is the file ${path}: ${text.reason} (${origin}).`);
        return { value: new Plain(text.replace(/\r?\n$/, '')), origin: `${origin}, the file ${path}` };
      },
    };
  }

  /** Positions in it are those of the settings. */
  #readLet(name: string, node: Node | null): Resolved {
    const range = rangeOf(node, this.#excerpt);
    const quoted = this.#libraries.isScalar(node) && node.type !== 'PLAIN' ? 1 : 0;
    const excerpt = Excerpt.inLine(this.#excerpt.source, this.#textOf(node), range.start + quoted);
    const { expressions, errors } = parseExpressions(excerpt);
    const [error] = errors;
    if (error) throw error;
    const [expression, ...more] = expressions;
    if (!expression || more.length > 0)
      throw new SourceError('setting-form', range, 'This is no single expression.');
    if (sourcesIn(expression).length > 0)
      throw new SourceError(
        'no-response-yet',
        range,
        'A variable is computed before there is a response.',
        'What a response gives is kept: keep $.id as name',
      );
    let evaluate: Evaluate | undefined;
    return {
      computed: expression,
      references: referencesIn(expression),
      reveals: revealing(expression).map(reference => reference.name),
      resolve: context => {
        evaluate ??= compileExpression(expression);
        const value = evaluate(context as EvaluationContext);
        if (value instanceof Missing)
          throw new TemplateError(`{${name}} cannot be computed: ${value.reason}.`);
        return { value, origin: `${this.origin}, computed` };
      },
    };
  }

  #textOf(node: Node | null): string {
    if (this.#libraries.isScalar(node) && typeof node.value === 'string') return node.value;
    throw new SourceError('setting-form', rangeOf(node, this.#excerpt), 'A text is wanted here.');
  }

  /** `{ os: NAME }`, `{ secret: value }`, either with `secret: true`; nothing for an object that is just a value. */
  #formOf(node: Node): { kind: Form; node: Node | null; secret: boolean } | undefined {
    if (!this.#libraries.isMap(node)) return undefined;
    const keys = node.items.map(pair => String(this.#libraries.isScalar(pair.key) ? pair.key.value : ''));
    const meant = this.#meantBy(node, keys);
    if (meant !== undefined)
      throw new SourceError('setting-form', rangeOf(node, this.#excerpt), meant.message, meant.remedy);
    const kind =
      keys.find(key => (variableForms as readonly string[]).includes(key) && key !== 'secret') ??
      (keys.length === 1 && keys[0] === 'secret' ? 'secret' : undefined);
    if (kind === undefined || keys.some(key => key !== kind && key !== 'secret')) return undefined;
    const range = rangeOf(node, this.#excerpt);
    const secret = node.get('secret');
    if (kind !== 'secret' && secret !== undefined && typeof secret !== 'boolean') {
      throw new SourceError(
        'setting-form',
        range,
        `'secret' beside '${kind}' is true or false.`,
        didYouMean(String(secret), ['true', 'false']),
      );
    }
    return {
      kind: kind as Form,
      node: node.get(kind, true) as Node | null,
      secret: kind === 'secret' || secret === true,
    };
  }

  /** What an object is meant for that other notations have for a value found elsewhere; nothing where it may be a value. */
  #meantBy(node: YAMLMap, keys: readonly string[]): { message: string; remedy: string } | undefined {
    const textOf = (key: string) => {
      const inner = node.get(key, true);
      return this.#libraries.isScalar(inner) && inner.value !== null ? String(inner.value) : undefined;
    };
    const others = keys.filter(key => key !== 'secret');
    const [only = ''] = others;
    const value = textOf(only) ?? '';
    const withSecret = keys.length > others.length ? ', secret: true' : '';
    if (others.length === 1 && elsewhere.test(only) && /^\$?\{?[A-Z][A-Z0-9_]*\}?$/.test(value))
      return {
        message: `'${only}' is nothing that gives a variable its value.`,
        remedy: `From the process environment it is { os: ${value.replace(/[${}]/g, '')}${withSecret} }.`,
      };
    if (others.length === 1 && only !== only.toLowerCase() && isForm(only.toLowerCase()))
      return {
        message: `'${only}' is written in small letters.`,
        remedy: `Write { ${only.toLowerCase()}: … }.`,
      };
    if (others.length === 1 && /^(?:value|text|default)$/.test(only) && node.get('secret') === true)
      return { message: 'A secret value stands behind its word.', remedy: 'Write { secret: value }.' };
    const inner = keys.length === 1 && keys[0] === 'secret' ? node.get('secret', true) : undefined;
    if (this.#libraries.isMap(inner)) {
      const [key] = inner.items.map(pair => String(this.#libraries.isScalar(pair.key) ? pair.key.value : ''));
      if (key !== undefined && isForm(key))
        return {
          message: `'secret' stands beside '${key}', not around it.`,
          remedy: `Write { ${key}: …, secret: true }.`,
        };
    }
    if (
      keys.includes('os') &&
      others.some(key => /^(?:default|or|else|fallback|required|optional)$/.test(key))
    )
      return {
        message: `Nothing but 'secret' stands beside 'os'.`,
        remedy:
          'A value for where it is not set is a variable of the same name further out: of the collection, where an environment or a page has this one.',
      };
    return undefined;
  }

  /** Adds what in the texts of a value is written as another notation has its references. */
  #refuseForeignReferences(node: Node | null): void {
    const { isMap, isScalar, isSeq } = this.#libraries;
    if (isSeq(node)) for (const item of node.items) this.#refuseForeignReferences(item as Node);
    else if (this.reader.unquotedReference(node) !== undefined)
      this.reader.add(
        'reference-form',
        rangeOf(node, this.#excerpt),
        'This is an object for YAML, whose one member has no value.',
        this.reader.unquotedReference(node),
      );
    else if (isMap(node))
      for (const { value } of node.items) this.#refuseForeignReferences(value as Node | null);
    else if (isScalar(node)) {
      const [, name] = /^\$\{?([A-Z][A-Z0-9_]*)\}?$|^%([A-Z][A-Z0-9_]*)%$/.exec(String(node.value)) ?? [];
      if (name === undefined) this.reader.refuseForeignReferences(node, 'payload');
      else
        this.reader.add(
          'reference-like',
          rangeOf(node, this.#excerpt),
          `This is a text that begins with a dollar, not the environment variable ${name}.`,
          `From the process environment it is { os: ${name} }. If the text is meant: lint: { reference-like: off }`,
        );
    }
  }

  #readPart(node: Node | null): Part {
    if (this.#libraries.isSeq(node)) {
      const items = node.items.map(item => this.#readPart(item as Node));
      return {
        references: items.flatMap(item => item.references),
        evaluate: context => orTemplateError(weighed(items.map(item => item.evaluate(context)))),
      };
    }
    if (this.#libraries.isMap(node)) {
      const members = node.items.map(pair => ({
        name: String(this.#libraries.isScalar(pair.key) ? pair.key.value : pair.key),
        part: this.#readPart(pair.value as Node | null),
      }));
      return {
        references: members.flatMap(member => member.part.references),
        evaluate: context =>
          orTemplateError(
            weighed(Object.fromEntries(members.map(member => [member.name, member.part.evaluate(context)]))),
          ),
      };
    }
    return this.#readScalar(node);
  }

  /** An unquoted scalar keeps its characters and has no kind of its own; a quoted one is a text. */
  #readScalar(node: Node | null): Part {
    if (!this.#libraries.isScalar(node) || node.value === null)
      return { references: [], evaluate: () => null };
    const plain = node.type === 'PLAIN';
    const text = plain ? (node.source ?? String(node.value)) : String(node.value);
    const template = parseTemplateText(text, 'text', rangeOf(node, this.#excerpt));
    const references = referencesOf(template);
    if (references.length === 0) {
      const literal = template.parts.join('');
      const value = plain ? new Plain(literal) : literal;
      return { references, literal, ...(plain && { isPlain: true }), evaluate: () => value };
    }
    const [only] = template.parts;
    // A reference alone hands its value on, whatever its kind.
    if (template.parts.length === 1 && typeof only === 'object')
      return { references, evaluate: context => valueFor(only.reference, context as EvaluationContext) };
    return {
      references,
      evaluate: context => {
        let filled = '';
        for (const part of template.parts) {
          const inner =
            typeof part === 'string' ? part : textOf(valueFor(part.reference, context as EvaluationContext));
          if (inner === undefined)
            throw new TemplateError(
              `{${(part as { reference: Reference }).reference.name}} cannot stand in a text.`,
            );
          filled += inner;
          if (filled.length > longestText) throw new TemplateError(`A variable is too long: ${tooLong}.`);
        }
        return plain ? new Plain(filled) : filled;
      },
    };
  }
}
