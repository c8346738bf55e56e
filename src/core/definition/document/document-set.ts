import { SourceError } from '../../model/finding.ts';
import { Source } from '../../model/source.ts';
import { resolvePath } from '../../text/paths.ts';
import { percentDecoded } from '../../text/percent.ts';
import { type DefinitionDocument, readDocument } from './document.ts';
import { isJsonObject, type Json, type JsonObject, member } from './json.ts';
import { eachReference } from './references.ts';

/** Reads a text file, by its path from the root of the collection; what is no text says why it cannot be read. */
export type ReadText = (path: string) => string | { readonly reason: string };

/** A value of a definition, and the file that it stands in. */
export interface Located<Value extends Json = Json> {
  readonly value: Value;
  readonly document: DefinitionDocument;
}

/** Why a reference leads to nothing, as a sentence. */
export class Unresolved {
  constructor(
    readonly reason: string,
    readonly remedy?: string,
  ) {}
}

/** A definition and the files that it refers to. Nothing is ever fetched. */
export class DocumentSet {
  readonly #documents = new Map<string, DefinitionDocument | Unresolved>();
  readonly #named = new Map<DefinitionDocument, ReadonlyMap<string, Json>>();
  readonly #resolved = new Map<DefinitionDocument, Map<string, Located | Unresolved>>();
  readonly root: DefinitionDocument;

  constructor(
    root: DefinitionDocument,
    readonly readText: ReadText,
  ) {
    this.root = root;
    this.#documents.set(root.source.file, root);
  }

  /** Reads every file that the definition refers to, and those that these refer to. */
  readAll(): void {
    const done = new Set<DefinitionDocument>();
    for (;;) {
      const next = this.documents.find(each => !done.has(each));
      if (!next) return;
      done.add(next);
      // Most definitions refer to nothing outside.
      if (!/\$ref["']?\s*:\s*["']?[^#"'\s]/.test(next.source.text)) continue;
      eachReference(next.value, (_holder, reference) => {
        if (!reference.startsWith('#')) this.target(reference, next);
      });
    }
  }

  /** Every file that was read, the definition first. */
  get documents(): readonly DefinitionDocument[] {
    return [...this.#documents.values()].flatMap(each => (each instanceof Unresolved ? [] : [each]));
  }

  /** What a value stands for: itself, or what the references that it is lead to in the end. */
  resolve(located: Located): Located | Unresolved {
    let { value, document } = located;
    for (let steps = 0; ; steps++) {
      const reference = member(value, '$ref');
      if (typeof reference !== 'string') return { value, document };
      if (steps > 100) return new Unresolved(`The references behind '${reference}' go round in a circle.`);
      const target = this.target(reference, document);
      if (target instanceof Unresolved) return target;
      ({ value, document } = target);
    }
  }

  /** The same, where anything but an object is of no use. */
  resolveObject(located: Located): Located<JsonObject> | undefined {
    const target = this.resolve(located);
    return target instanceof Unresolved || !isJsonObject(target.value)
      ? undefined
      : (target as Located<JsonObject>);
  }

  /** Where a reference leads, seen from its file: a part of that, or of a file beside it. */
  target(reference: string, from: DefinitionDocument): Located | Unresolved {
    const known = this.#resolved.get(from) ?? new Map<string, Located | Unresolved>();
    this.#resolved.set(from, known);
    const found = known.get(reference) ?? this.#find(reference, from);
    known.set(reference, found);
    return found;
  }

  #find(reference: string, from: DefinitionDocument): Located | Unresolved {
    const at = reference.indexOf('#');
    const [file, fragment] = at < 0 ? [reference, ''] : [reference.slice(0, at), reference.slice(at + 1)];
    const named = file === '' ? undefined : this.#namedIn(from).get(file);
    if (named !== undefined) return within({ value: named, document: from }, fragment, reference);
    const document = file === '' ? from : this.#open(file, from);
    if (document instanceof Unresolved) return document;
    if (fragment !== '' && !fragment.startsWith('/')) {
      const value = this.#namedIn(document).get(`#${fragment}`);
      return value === undefined
        ? new Unresolved(`'${reference}' leads nowhere: nothing has the anchor '${fragment}'.`)
        : { value, document };
    }
    return within({ value: document.value, document }, fragment, reference);
  }

  #open(file: string, from: DefinitionDocument): DefinitionDocument | Unresolved {
    if (/^(?:[a-z][a-z0-9+.-]*:|\/\/)/i.test(file))
      return new Unresolved(
        `'${file}' leads to the network, and nothing is fetched.`,
        'Put a copy beside the definition, and refer to that.',
      );
    const path = resolvePath(from.source.file.replace(/[^/]*$/, ''), percentDecoded(file));
    const known = this.#documents.get(path) ?? this.#read(path);
    this.#documents.set(path, known);
    return known;
  }

  #read(path: string): DefinitionDocument | Unresolved {
    const text = this.readText(path);
    if (typeof text !== 'string') return new Unresolved(`${text.reason}.`);
    const source = new Source(path, text);
    try {
      return readDocument(source);
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      const { line, column } = source.position(error.range.start);
      return new Unresolved(`'${path}' cannot be read (${line}:${column}). ${error.message}`);
    }
  }

  /** What schemas of a file are called by `$id` and `$anchor`. */
  #namedIn(document: DefinitionDocument): ReadonlyMap<string, Json> {
    const known = this.#named.get(document);
    if (known) return known;
    const named = new Map<string, Json>();
    this.#named.set(document, named);
    const { text } = document.source;
    if (!text.includes('$id') && !text.includes('nchor')) return named;
    const seen = new Set<Json>();
    const visit = (value: Json): void => {
      if (typeof value !== 'object' || seen.has(value)) return;
      seen.add(value);
      if (Array.isArray(value)) value.forEach(visit);
      else if (isJsonObject(value)) {
        if (typeof value.$id === 'string') named.set(value.$id.replace(/#$/, ''), value);
        for (const anchor of [value.$anchor, value.$dynamicAnchor])
          if (typeof anchor === 'string') named.set(`#${anchor}`, value);
        Object.values(value).forEach(visit);
      }
    };
    visit(document.value);
    return named;
  }
}

/** The part of a value that a JSON Pointer (RFC 6901) names, percent-encoded as in an address. */
function within(located: Located, pointer: string, reference: string): Located | Unresolved {
  let { value } = located;
  for (const step of pointer.split('/').slice(1)) {
    const key = percentDecoded(step).replaceAll('~1', '/').replaceAll('~0', '~');
    const next = Array.isArray(value) ? value[Number(key)] : member(value, key);
    if (next === undefined) return new Unresolved(`'${reference}' leads nowhere: there is no '${key}'.`);
    value = next;
  }
  return { ...located, value };
}
