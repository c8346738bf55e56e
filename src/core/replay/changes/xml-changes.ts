import type { Document, Element } from 'slimdom';
import type { ResponseView } from '../../steps/http/response-view.ts';
import { counted } from '../../text/words.ts';
import { xmlText } from '../../values/xml.ts';
import { XmlPart } from '../../values/xml-parts.ts';
import type { Chance, Change, ChangeKind } from './change.ts';
import { withOther } from './changed-view.ts';
import { otherValues, short } from './value-changes.ts';

/** What may be wrong in an XML document, one thing at a time; elements of one name side by side count as one place. */
export function* xmlChanges(
  view: ResponseView,
  document: Document,
  chance: Chance | undefined,
): Generator<Change> {
  const all = [...XmlPart.of([document]).all()];
  for (const part of all) {
    const edit = (kind: ChangeKind, words: () => string, alter: (found: Found[]) => void): Change => ({
      kind,
      at: part.path,
      words,
      apply: () => {
        const copy = document.cloneNode(true) as Document;
        alter(foundIn(copy, part.way));
        const body = Buffer.from(xmlText(copy));
        return withOther(inUtf8(view), { body, size: body.length });
      },
    });
    yield* part.name.startsWith('@') || !part.hasElements
      ? valueChanges(part, edit, chance)
      : [
          edit(
            'added',
            () => `gets an element '${added}'`,
            found => addTo(found.at(-1)!.element),
          ),
        ];
    const [values = []] = part.values;
    if (part.isList) yield* listChanges(values.length, edit);
    else if (part.hasElements && part.parent?.parent)
      yield edit(
        'gone',
        () => 'is gone',
        found => found.at(-1)!.element.remove(),
      );
  }
}

const added = 'mervok-added';

type Edit = (kind: ChangeKind, words: () => string, alter: (found: Found[]) => void) => Change;

/** An element, and the attribute of it that is meant. */
interface Found {
  readonly element: Element;
  readonly attribute?: string;
}

function* valueChanges(
  { values: [values = []], isList }: XmlPart,
  edit: Edit,
  chance: Chance | undefined,
): Generator<Change> {
  const filled = values.flatMap((value, index) => (value === '' ? [] : [index]));
  const index =
    filled.length === 0
      ? values.length - 1
      : filled[chance ? Math.floor(chance() * filled.length) : filled.length - 1]!;
  const value = values[index]!;
  for (const { kind, words, value: other } of otherValues(value, values)) {
    if (kind === 'gone') {
      if (!isList) yield edit(kind, words, found => removed(found[index]!));
    } else if (kind === 'null') {
      if (value !== '')
        yield edit(
          'empty',
          () => `${short(value)} becomes empty`,
          found => written(found[index]!, ''),
        );
    } else if (kind === 'kind')
      yield edit(
        kind,
        () => `${short(value)} becomes ${ofOtherKind(value)}`,
        found => written(found[index]!, ofOtherKind(value)),
      );
    else yield edit(kind, words, found => written(found[index]!, String(other)));
  }
}

/** Everything is a text in XML: what is written as a number is none any more, and the reverse. */
function ofOtherKind(value: string): string {
  return /^-?\d/.test(value.trim()) ? 'none' : '1';
}

function* listChanges(count: number, edit: Edit): Generator<Change> {
  const items = counted(count, 'element');
  yield edit(
    'empty',
    () => `${items} become none`,
    found => found.forEach(removed),
  );
  if (count > 1)
    yield edit(
      'shorter',
      () => `${items} become ${count - 1}`,
      found => removed(found.at(-1)!),
    );
  yield edit(
    'longer',
    () => `${items} become ${count + 1}, the last one twice`,
    found => {
      const { element } = found.at(-1)!;
      element.parentNode!.insertBefore(element.cloneNode(true), element.nextSibling);
    },
  );
  if (count > 1)
    yield edit(
      'order',
      () => 'its elements come in another order',
      found => {
        const { parentNode } = found.at(-1)!.element;
        const own = found.filter(each => each.element.parentNode === parentNode);
        for (const { element } of own.toReversed()) parentNode!.appendChild(element);
      },
    );
}

function addTo(element: Element): void {
  element.appendChild(element.ownerDocument!.createElementNS(element.namespaceURI, added));
}

function removed({ element, attribute }: Found): void {
  if (attribute === undefined) element.remove();
  else attributeOf(element, attribute).forEach(each => void element.removeAttributeNode(each));
}

function written({ element, attribute }: Found, text: string): void {
  if (attribute === undefined) element.textContent = text;
  else for (const each of attributeOf(element, attribute)) each.value = text;
}

function attributeOf({ attributes }: Element, name: string) {
  return attributes.filter(each => each.localName === name && each.prefix !== 'xmlns');
}

/** In the order of the document. */
function foundIn(document: Document, way: readonly string[]): Found[] {
  let found: Element[] = document.documentElement ? [document.documentElement] : [];
  for (const step of way.slice(1)) {
    if (step.startsWith('@')) {
      const attribute = step.slice(1);
      return found.flatMap(element =>
        attributeOf(element, attribute).length > 0 ? [{ element, attribute }] : [],
      );
    }
    found = found.flatMap(({ children }) => children.filter(({ localName }) => localName === step));
  }
  return found.map(element => ({ element }));
}

/** What is written again is UTF-8, whatever it was. */
function inUtf8(view: ResponseView): ResponseView {
  const headers = view.received.headers.map(
    ([name, value]) =>
      [name, name.toLowerCase() === 'content-type' ? value.replace(/;.*/, '') : value] as const,
  );
  return withOther(view, { headers });
}
