import type { Node as DomNode, Element } from 'slimdom';
import type { Paint } from './style.ts';

/** A document with one element a line; an element that holds text stays as it is. Throws where it is no XML. */
export async function formatXml(text: string, paint: Paint): Promise<string> {
  const { parseXmlDocument, serializeToWellFormedString } = await import('slimdom');
  const document = parseXmlDocument(text.trim());
  const lines: string[] = [];
  const declaration = /^\s*<\?xml[^>]*\?>/.exec(text)?.[0].trim();
  if (declaration !== undefined) lines.push(paint('quiet', declaration));
  const visit = (node: DomNode, indent: string, outer: Namespaces) => {
    const children = node.childNodes.filter(child => child.nodeType !== 3 || child.nodeValue!.trim() !== '');
    const holdsText = children.some(child => child.nodeType === 3 || child.nodeType === 4);
    const { whole, namespaces } = withoutInherited(serializeToWellFormedString(node as Element), outer);
    if (node.nodeType !== 1 || children.length === 0 || holdsText) {
      lines.push(indent + paintXml(whole.trim(), paint));
      return;
    }
    const [opening = ''] = /^<(?:[^>"']|"[^"]*"|'[^']*')*>/.exec(whole) ?? [];
    lines.push(indent + paintXml(opening, paint));
    for (const child of children) visit(child, `${indent}  `, namespaces);
    lines.push(indent + paintXml(`</${node.nodeName}>`, paint));
  };
  for (const child of document.childNodes) visit(child, '', new Map());
  return lines.join('\n');
}

type Namespaces = ReadonlyMap<string, string>;

/** An element written by itself declares what its parents have declared already; that is left out. */
function withoutInherited(text: string, outer: Namespaces): { whole: string; namespaces: Namespaces } {
  const [opening = ''] = /^<(?:[^>"']|"[^"]*"|'[^']*')*>/.exec(text) ?? [];
  const namespaces = new Map(outer);
  const short = opening.replace(
    / (xmlns(?::[^\s=]+)?)="([^"]*)"/g,
    (declaration, name: string, value: string) => {
      namespaces.set(name, value);
      return outer.get(name) === value ? '' : declaration;
    },
  );
  return { whole: short + text.slice(opening.length), namespaces };
}

/** Marks are quiet, values of attributes and texts stand out. */
function paintXml(text: string, paint: Paint): string {
  return text.replace(/(<[^>]*>)|([^<]+)/g, (_, tag?: string, content?: string) =>
    tag === undefined
      ? content!
      : tag.replace(/("[^"]*"|'[^']*')|([^"']+)/g, (_all, value?: string, rest?: string) =>
          value === undefined ? paint('quiet', rest!) : paint('constant', value),
        ),
  );
}
