import type { CollectionCase } from '../analysis/collection.ts';
import type { Effective } from '../settings/effective.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import type { HeaderCondition } from './request-pattern.ts';
import { TextPattern } from './text-pattern.ts';

/** Headers that whoever asks cannot choose, or that say nothing of what is asked. */
const ofTheClient = new Set(['user-agent', 'accept-encoding', 'content-length', 'host', 'connection']);

/** Those that a request writes have to be there as they are; those of settings, and of how it signs in, have to be there. */
export function headersOf(written: WrittenRequest, effective: Effective): HeaderCondition[] {
  const own = written.headers
    .map(({ name, value }) => ({ name: name.toLowerCase(), value: TextPattern.of(value) }))
    .filter(({ name }) => !ofTheClient.has(name));
  const names = new Set(own.map(({ name }) => name));
  const ofSettings = effective.headers
    .filter(({ level }) => level.source.file !== '')
    .map(({ header }) => header.name.toLowerCase());
  const present = [...new Set(ofSettings)].filter(name => !names.has(name) && !ofTheClient.has(name));
  return [
    ...own.map(each => (each.name === 'cookie' ? { name: each.name } : each)),
    ...present.map(name => ({ name })),
  ];
}

/** Headers that a nearer level takes away, and how it signs in where it does not. */
export function withoutHeaders({ levels }: CollectionCase, { auth }: Effective): string[] {
  const names = new Set<string>();
  for (const level of levels)
    for (const [name, { value }] of level.headers)
      if (value === null) names.add(name);
      else names.delete(name);
  if (auth?.auth.kind === 'none') names.add('authorization');
  return [...names].filter(name => !ofTheClient.has(name));
}
