import { Exact } from '../core/model/value.ts';
import { withoutReferences } from '../core/steps/http/write-request.ts';
import { numberText } from '../core/values/number.ts';

/** A name in the place of a value. */
export class Named {
  constructor(
    readonly name: string,
    readonly asText: boolean,
  ) {}
}

/** As short as it can be read: what has room stands in one line. */
export function jsonText(value: unknown, indent = ''): string {
  const line = inOneLine(value);
  if (indent.length + line.length <= 110 || typeof value !== 'object' || value === null) return line;
  if (value instanceof Named || value instanceof Exact) return line;
  const inner = `${indent}  `;
  if (Array.isArray(value))
    return `[\n${value.map(each => inner + jsonText(each, inner)).join(',\n')}\n${indent}]`;
  const members = Object.entries(value).map(
    ([name, each]) => `${inner}${withoutReferences(JSON.stringify(name))}: ${jsonText(each, inner)}`,
  );
  return `{\n${members.join(',\n')}\n${indent}}`;
}

function inOneLine(value: unknown): string {
  if (value instanceof Named) return value.asText ? `"{${value.name}}"` : `{${value.name}}`;
  if (value instanceof Exact) return numberText(value);
  if (Array.isArray(value)) return `[${value.map(inOneLine).join(', ')}]`;
  if (typeof value !== 'object' || value === null) return withoutReferences(JSON.stringify(value) ?? 'null');
  const members = Object.entries(value).map(
    ([name, each]) => `${withoutReferences(JSON.stringify(name))}: ${inOneLine(each)}`,
  );
  return members.length === 0 ? '{}' : `{ ${members.join(', ')} }`;
}
