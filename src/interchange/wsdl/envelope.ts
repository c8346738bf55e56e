import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { passwordName } from '../password-name.ts';
import type { SampleElement } from './schema-types.ts';

/** Prefixes that pages use for namespaces: `t`, `t2`, … */
export class Prefixes {
  readonly #byNamespace = new Map<string, string>();

  get all(): [prefix: string, namespace: string][] {
    return [...this.#byNamespace].map(([namespace, prefix]) => [prefix, namespace]);
  }

  of(namespace: string, wanted = 't'): string {
    const known = this.#byNamespace.get(namespace);
    if (known !== undefined) return known;
    const taken = new Set(this.#byNamespace.values());
    let prefix = wanted;
    for (let number = 2; taken.has(prefix); number++) prefix = `${wanted}${number}`;
    this.#byNamespace.set(namespace, prefix);
    return prefix;
  }
}

/**
 * An envelope of SOAP with its body, laid out.
 * @param secretFor gives the name that stands in the place of a password
 */
export function envelopeText(
  namespace: string,
  contents: readonly SampleElement[],
  secretFor: (element: string) => string,
): string {
  const lines = contents.flatMap(each => elementLines(each, { around: '', indent: '    ', secretFor }));
  return [`<s:Envelope xmlns:s="${namespace}">`, '  <s:Body>', ...lines, '  </s:Body>', '</s:Envelope>'].join(
    '\n',
  );
}

interface Layout {
  /** The namespace that names without a prefix are in. */
  readonly around: string;
  readonly indent: string;
  readonly secretFor: (element: string) => string;
}

function elementLines(element: SampleElement, layout: Layout): string[] {
  const { name, qualified, attributes, children, text } = element;
  const { around, indent, secretFor } = layout;
  const own = qualified ? name.namespace : '';
  const declared = own === around ? '' : ` xmlns="${escaped(own)}"`;
  const more = attributes.map(([key, value]) => ` ${key}="${escaped(value)}"`).join('');
  const open = `${name.name}${declared}${more}`;
  if (children.length > 0)
    return [
      `${indent}<${open}>`,
      ...children.flatMap(each => elementLines(each, { ...layout, around: own, indent: `${indent}  ` })),
      `${indent}</${name.name}>`,
    ];
  if (text === undefined) return [`${indent}<${open}/>`];
  const content = passwordName.test(name.name) ? `{${secretFor(name.name)}}` : escaped(text);
  return [`${indent}<${open}>${content}</${name.name}>`];
}

function escaped(text: string): string {
  return withoutReferences(
    text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;'),
  );
}
