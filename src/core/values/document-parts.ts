import { isObject, type Value } from '../model/value.ts';

/** A step on the way into a document; `undefined` stands for every item of a list. */
export type PartStep = string | undefined;

/** What stands in one place of several documents, where the items of a list count as one place: `$.berths[*].code`. */
export class DocumentPart {
  /** By document, in order. */
  readonly values: Value[][];
  readonly members = new Map<string, DocumentPart>();
  items: DocumentPart | undefined;

  private constructor(
    readonly way: readonly PartStep[],
    readonly documents: number,
  ) {
    this.values = Array.from({ length: documents }, () => []);
  }

  static of(documents: readonly Value[]): DocumentPart {
    const root = new DocumentPart([], documents.length);
    for (const [index, document] of documents.entries()) root.#add(document, index);
    return root;
  }

  /** Itself and all that is in it, in the order of the documents. */
  *all(): Generator<DocumentPart> {
    yield this;
    for (const member of this.members.values()) yield* member.all();
    if (this.items) yield* this.items.all();
  }

  /** Whether it may stand in a document more than once. */
  get isRepeated(): boolean {
    return this.way.includes(undefined);
  }

  /** The name of the member that it is, or of the list that it is an item of. */
  get name(): string | undefined {
    return this.way.findLast(step => step !== undefined);
  }

  #add(value: Value, document: number): void {
    this.values[document]!.push(value);
    if (Array.isArray(value)) {
      if (value.length === 0) return;
      this.items ??= new DocumentPart([...this.way, undefined], this.documents);
      for (const item of value) this.items.#add(item, document);
    } else if (isObject(value))
      for (const [name, each] of Object.entries(value)) {
        let member = this.members.get(name);
        if (!member) {
          member = new DocumentPart([...this.way, name], this.documents);
          this.members.set(name, member);
        }
        member.#add(each, document);
      }
  }
}

/** Where one of the values of a part stands in a document: names of members and indexes of items. */
export type Way = readonly (string | number)[];

/**
 * The last place in a document that a part has, whose value is accepted.
 * @param pick what to begin with among so many items; the last one, where nothing is said
 */
export function placeOf(
  document: Value,
  part: readonly PartStep[],
  accepts: (value: Value) => boolean,
  pick = (count: number) => count - 1,
): Way | undefined {
  const look = (value: Value, depth: number): Way | undefined => {
    if (depth === part.length) return accepts(value) ? [] : undefined;
    const step = part[depth];
    if (step !== undefined) {
      if (!isObject(value) || !Object.hasOwn(value, step)) return undefined;
      const rest = look(value[step]!, depth + 1);
      return rest && [step, ...rest];
    }
    if (!Array.isArray(value)) return undefined;
    const first = value.length > 0 ? pick(value.length) : 0;
    for (let tried = 0; tried < value.length; tried++) {
      const index = (first - tried + value.length) % value.length;
      const rest = look(value[index]!, depth + 1);
      if (rest) return [index, ...rest];
    }
    return undefined;
  };
  return look(document, 0);
}

export function valueAt(document: Value, way: Way): Value | undefined {
  let value: Value | undefined = document;
  for (const step of way) {
    if (Array.isArray(value)) value = value[step as number];
    else if (isObject(value) && Object.hasOwn(value, step)) value = value[step as string];
    else return undefined;
  }
  return value;
}

/** A copy of a document with another value in one place, or with none; all else is shared with it. */
export function withValueAt(document: Value, way: Way, value: Value | undefined): Value | undefined {
  const [step, ...rest] = way;
  if (step === undefined) return value;
  if (Array.isArray(document)) {
    const copy = document.slice();
    const inner = withValueAt(copy[step as number]!, rest, value);
    if (inner === undefined) copy.splice(step as number, 1);
    else copy[step as number] = inner;
    return copy;
  }
  const members = Object.entries(document as { [name: string]: Value });
  return Object.fromEntries(
    members.flatMap(([name, each]) => {
      const inner = name === step ? withValueAt(each, rest, value) : each;
      return inner === undefined ? [] : [[name, inner]];
    }),
  );
}

/** A document whose lists have so many items at the most; itself, where none is longer. */
export function withShortLists(value: Value, most: number): Value {
  if (Array.isArray(value)) {
    const kept = value.slice(0, most).map(item => withShortLists(item, most));
    const isSame = kept.length === value.length && kept.every((item, at) => item === value[at]);
    return isSame ? value : kept;
  }
  if (!isObject(value)) return value;
  const members = Object.entries(value).map(([name, each]) => [name, withShortLists(each, most)] as const);
  return members.every(([name, each]) => each === value[name]) ? value : Object.fromEntries(members);
}
