// mervok:checks: they record what they found, and throw nothing.
import { ask, Failure, NoValue, pack, printable } from 'mervok:inner';

function described(value) {
  try {
    return pack(value);
  } catch (error) {
    if (!(error instanceof NoValue)) throw error;
    return `!${error.message}`;
  }
}

const labelOf = label => (typeof label === 'string' ? label : `!${printable(label)}`);

export function holds(label, condition) {
  return ask('holds', labelOf(label), described(condition), new Failure().stack) === 'yes';
}

export function equals(label, found, expected) {
  return ask('equals', labelOf(label), described(found), described(expected), new Failure().stack) === 'yes';
}
