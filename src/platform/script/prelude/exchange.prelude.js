// What mervok:exchange is made of: what came of the step above, and what was asked there.
import { ask, keys, put, unpack, want } from 'mervok:inner';

export function read(name) {
  if (ask('has', name) !== 'yes') return undefined;
  const words = unpack(ask('words', name));
  const handed = Object.create(null);
  for (const word of keys(words)) put(handed, word, words[word]);
  const fields = want('fields', name);
  if (fields) put(handed, 'headers', headersOf(fields));
  for (const what of ['text', 'json', 'bytes'])
    Object.defineProperty(handed, what, { enumerable: true, get: onceRead(what, name) });
  return handed;
}

function onceRead(what, name) {
  let known = false;
  let value;
  return () => {
    if (!known) value = want(what, name);
    known = true;
    return value;
  };
}

function headersOf(fields) {
  const lower = text => String(text).toLowerCase();
  const all = wanted => fields.filter(([name]) => lower(name) === lower(wanted)).map(([, value]) => value);
  return {
    all,
    get: wanted => all(wanted)[0] ?? null,
    has: wanted => all(wanted).length > 0,
    names: () => [...new Set(fields.map(([name]) => lower(name)))],
  };
}
