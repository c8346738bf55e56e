import { isSecretHeader, secretName, shortestWritten } from '../../secrecy/secret-names.ts';
import type { WrittenSecret } from '../step.ts';
import type { WrittenRequest } from './request.ts';

/** Literals in a request that look like a secret. */
export function secretsInRequest({
  headers,
  targetText,
  targetRange,
  body,
}: WrittenRequest): WrittenSecret[] {
  const found: WrittenSecret[] = headers
    .filter(({ name, value }) => isSecretHeader(name, value))
    .map(({ name, range }) => ({ range, what: `the header ${name}` }));
  if (/^https?:\/\/[^/{}]*:[^/{}]+@/i.test(targetText))
    found.push({ range: targetRange, what: 'the password in this address' });
  if (!body || !secretName.test(body.excerpt.text)) return found;
  const { excerpt, start } = body;
  const add = (name: string, value: string, at: number) => {
    if (secretName.test(name) && value.length >= shortestWritten)
      found.push({ range: excerpt.range(at, at + value.length), what: `'${name}'` });
  };
  const text = excerpt.text.slice(start);
  for (const line of text.matchAll(/^\s*"?([\w-]+)"?\s*[:=]\s*"?([^"{}\s,]+)"?,?\s*$/gm))
    add(line[1]!, line[2]!, start + line.index + line[0].indexOf(line[2]!));
  for (const member of text.matchAll(/"([\w-]+)"\s*:\s*"([^"{}]+)"/g))
    add(member[1]!, member[2]!, start + member.index + member[0].length - 1 - member[2]!.length);
  return found;
}
