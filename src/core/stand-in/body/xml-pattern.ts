import type { Element, Node } from 'slimdom';
import { readXml, XmlError } from '../../values/xml.ts';
import type { Bindings } from '../bindings.ts';
import { TextPattern } from '../text-pattern.ts';
import { type BodyPattern, type ReceivedBody, unreadable } from './body-pattern.ts';
import { pieces, reference, withoutNames } from './marks.ts';

/** A document of XML that has to have the elements, attributes and texts that are written. */
export class XmlPattern implements BodyPattern {
  readonly conditions: number;
  readonly literals: number;
  readonly form: string;

  constructor(readonly written: Element) {
    this.form = withoutNames(written.outerHTML);
    const elements = [written, ...written.getElementsByTagName('*')];
    const texts = elements
      .filter(each => childrenOf(each).length === 0)
      .map(each => each.textContent!.trim());
    this.conditions = elements.length;
    this.literals = texts.filter(each => each !== '' && !reference.test(each)).length;
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    let root: Element | null;
    try {
      root = readXml(text.trim()).documentElement;
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
      return `${unreadable}XML: ${error.message}`;
    }
    return root ? xmlMisses(this.written, root, bindings) : `${unreadable}XML`;
  }
}

function xmlMisses(written: Element, sent: Element, bindings: Bindings): string | undefined {
  const name = written.localName;
  if (sent.localName !== name || sent.namespaceURI !== written.namespaceURI)
    return `would have to have the element '${name}', not '${sent.localName}'`;
  for (const { name: attribute, value } of written.attributes) {
    if (attribute === 'xmlns' || attribute.startsWith('xmlns:')) continue;
    const own = sent.getAttribute(attribute);
    if (own === null || !new TextPattern(pieces(value)).matches(own, bindings))
      return `would have to have another attribute '${attribute}' of '${name}'`;
  }
  const wanted = childrenOf(written);
  const own = childrenOf(sent);
  if (wanted.length === 0) {
    const text = written.textContent!.trim();
    const isSame = text === '' || new TextPattern(pieces(text)).matches(sent.textContent!.trim(), bindings);
    return isSame ? undefined : `would have to have another text in '${name}'`;
  }
  let at = 0;
  for (const child of wanted) {
    let why: string | undefined = `would have to have the element '${child.localName}' in '${name}'`;
    while (why !== undefined && at < own.length) {
      const found: string | undefined = xmlMisses(child, own[at++]!, bindings);
      why = found === undefined ? undefined : own[at - 1]!.localName === child.localName ? found : why;
    }
    if (why !== undefined) return why;
  }
  return undefined;
}

function childrenOf(element: Element): Element[] {
  return element.childNodes.filter((node: Node): node is Element => node.nodeType === 1);
}
