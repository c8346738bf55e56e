/** A link of a Link header. */
export interface Link {
  /** In lower case. */
  readonly relations: readonly string[];
  /** Absolute. */
  readonly url: string;
}

// link :: "<" target ">" ( ";" name ( "=" ( token | quoted ) )? )*      RFC 8288, 3
const linkForm = /<([^>]*)>((?:\s*;\s*[^\s=;,]+(?:\s*=\s*(?:"(?:[^"\\]|\\.)*"|[^\s;,"]*))?)*)/g;

/** Reads the value of a Link header. What has no relation, or no target that could be called, is passed over. */
export function readLinks(value: string, base: string): Link[] {
  return [...value.matchAll(linkForm)].flatMap(([, target = '', parameters = '']) => {
    const relations = relationsIn(parameters);
    return relations.length > 0 && URL.canParse(target, base)
      ? [{ relations, url: new URL(target, base).href }]
      : [];
  });
}

const parameterForm = /;\s*([^\s=;,]+)(?:\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s;,"]*)))?/g;

/** Of several `rel` the first counts (RFC 8288, 3.3). */
function relationsIn(parameters: string): string[] {
  for (const [, name, quoted, bare] of parameters.matchAll(parameterForm))
    if (name!.toLowerCase() === 'rel')
      return (quoted ?? bare ?? '').toLowerCase().split(/\s+/).filter(Boolean);
  return [];
}
