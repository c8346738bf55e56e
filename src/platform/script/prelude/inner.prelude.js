// The first module of every sandbox, which Mervok's other ones are made of. It runs before anything of a script does, so
// nothing of what it uses has been changed by then; and no script can import it.
const ask = globalThis.__host;
delete globalThis.__host;

const { parse, stringify } = JSON;
const { isArray } = Array;
const { isFinite: isFiniteNumber, isNaN: isNotANumber } = Number;
const { keys, getPrototypeOf, prototype: plain, defineProperty } = Object;
const { fromCharCode } = String;
const [Bytes, Large, Failure, Text] = [Uint8Array, BigInt, Error, String];
const mark = '\u0001';

/** What no value can be. */
class NoValue extends Failure {}

/** Puts a value into JSON; what JSON lacks has a mark before it. Throws NoValue. */
const pack = value => stringify(marked(value, []));

function marked(value, around) {
  switch (typeof value) {
    case 'string':
      return value[0] === mark ? mark + value : value;
    case 'number':
      if (isFiniteNumber(value)) return value;
      throw new NoValue(isNotANumber(value) ? 'NaN' : 'infinite');
    case 'boolean':
      return value;
    case 'bigint':
      return `${mark}n${value}`;
    case 'object':
      break;
    default:
      throw new NoValue(value === undefined ? 'undefined' : `a ${typeof value}`);
  }
  if (value === null) return null;
  if (value instanceof Bytes) return `${mark}b${latin(value)}`;
  for (let at = 0; at < around.length; at++)
    if (around[at] === value) throw new NoValue('a value that holds itself');
  if (around.length > 400) throw new NoValue('nested deeper than 400 levels');
  around[around.length] = value;
  let packed;
  if (isArray(value)) {
    packed = [];
    for (let at = 0; at < value.length; at++) put(packed, at, marked(value[at], around));
  } else {
    const above = getPrototypeOf(value);
    if (above !== plain && above !== null) throw new NoValue(`a ${nameOf(above)}`);
    packed = { __proto__: null };
    for (const name of keys(value)) put(packed, name, marked(value[name], around));
  }
  around.length--;
  return packed;
}

function latin(bytes) {
  let text = '';
  for (let at = 0; at < bytes.length; at++) text += fromCharCode(bytes[at]);
  return text;
}

/** A plain assignment would ask what stands above an object. */
function put(object, name, value) {
  defineProperty(object, name, {
    __proto__: null,
    value,
    enumerable: true,
    writable: true,
    configurable: true,
  });
}

function nameOf(prototype) {
  try {
    return Text(prototype.constructor.name).slice(0, 40) || 'object of a class';
  } catch {
    return 'object of a class';
  }
}

/** What has been packed; the first character says whether anything in it is marked. */
function unpack(packed) {
  const value = parse(packed.slice(1));
  return packed[0] === '1' ? unmarked(value) : value;
}

function unmarked(value) {
  if (typeof value === 'string') {
    if (value[0] !== mark) return value;
    const rest = value.slice(2);
    if (value[1] === 'n') return Large(rest);
    return value[1] === 'b' ? Bytes.from(rest, each => each.charCodeAt(0)) : value.slice(1);
  }
  if (typeof value !== 'object' || value === null) return value;
  for (const name of keys(value)) put(value, name, unmarked(value[name]));
  return value;
}

/** What the program answers as a value. Throws where it says why there is none. */
function want(...asked) {
  const answer = ask(...asked);
  if (answer[0] === '!') throw new Failure(answer.slice(1));
  return unpack(answer);
}

function printable(value) {
  if (typeof value === 'string') return value;
  if (value instanceof Failure) return `${value.name}: ${value.message}`;
  try {
    if (typeof value === 'object' && value !== null) return stringify(value, withLarge) ?? Text(value);
    return typeof value === 'bigint' ? `${value}n` : Text(value);
  } catch {
    return '[object]';
  }
}

const withLarge = (_name, value) => (typeof value === 'bigint' ? `${value}n` : value);

/** In characters: more is never kept. */
const longest = 20_000;
let printed = 0;
function print(...parts) {
  if (printed > longest) return;
  let text = '';
  for (let at = 0; at < parts.length && text.length < longest; at++)
    text += (at === 0 ? '' : ' ') + printable(parts[at]).slice(0, longest);
  printed += text.length + 1;
  ask('print', text);
}
globalThis.console = { log: print, info: print, debug: print, warn: print, error: print, trace: print };

Math.random = () => +ask('random');
globalThis.crypto = { randomUUID: () => ask('uuid') };

const RealDate = Date;
const now = () => +ask('now');
function SandboxDate(...parts) {
  if (!new.target) return new RealDate(now()).toString();
  return Reflect.construct(RealDate, parts.length === 0 ? [now()] : parts, new.target);
}
SandboxDate.prototype = RealDate.prototype;
SandboxDate.prototype.constructor = SandboxDate;
defineProperty(SandboxDate, 'name', { value: 'Date' });
SandboxDate.now = now;
SandboxDate.parse = RealDate.parse;
SandboxDate.UTC = RealDate.UTC;
globalThis.Date = SandboxDate;

/** Says why something was thrown, whatever it is. */
function tellThrown(thrown) {
  let [name, message, stack] = ['', '', ''];
  try {
    if (thrown instanceof Failure)
      [name, message, stack] = [thrown.name, thrown.message, thrown.stack].map(Text);
    else message = printable(thrown);
  } catch {
    message = 'something that cannot be described';
  }
  ask('thrown', name.slice(0, 100), message.slice(0, 2000), stack.slice(0, 8000));
}

/** Carries out the script, and hands over what it gives. */
async function carryOut() {
  let script;
  try {
    script = (await import('mervok:begin')).script;
  } catch (thrown) {
    tellThrown(thrown);
    return;
  }
  const packed = { __proto__: null };
  for (const name of keys(script)) {
    try {
      put(packed, name, marked(script[name], []));
    } catch (error) {
      ask('unfit', name, error instanceof NoValue ? error.message : 'a value that cannot be read');
      return;
    }
  }
  ask('exports', stringify(packed));
}

export { ask, carryOut, Failure, keys, NoValue, pack, printable, put, unpack, want };
