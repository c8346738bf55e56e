import { documentIn } from '../../core/language/answer-view.ts';
import { decodeBody } from '../../core/language/charset.ts';
import { patternFromText } from '../../core/language/compile-pattern.ts';
import { differences } from '../../core/language/difference.ts';
import { fitParameter } from '../../core/language/functions/signature.ts';
import { functions } from '../../core/language/functions/table.ts';
import type { ClockAndRandom } from '../../core/model/clock-and-random.ts';
import { isObject, Missing, type Value } from '../../core/model/value.ts';
import type {
  HandedExchange,
  OutgoingScript,
  ScriptCheck,
  ScriptFault,
  ScriptPlace,
} from '../../core/steps/script/script-port.ts';
import { type Packed, pack, unpack } from '../../core/steps/script/transfer.ts';
import { counted } from '../../core/text/words.ts';
import { equal } from '../../core/values/compare.ts';
import { describe } from '../../core/values/describe.ts';
import { JsonError } from '../../core/values/json-document.ts';
import { seededRandom } from '../external-sources.ts';
import { memoryFault, timeFault } from './script-faults.ts';

/** So many checks a script may make. */
const mostChecks = 10_000;
/** So many of the differences between two values are told. */
const mostDifferences = 10;
/** Of what scripts print, so much is kept, in characters. */
const mostPrinted = 20_000;
/**
 * In milliseconds: the engine asks whether the script is over far more often. What passes beyond that between two times
 * passed while the thread had no processor, or in one long call, which whoever waits for the thread puts an end to.
 */
const longestStep = 100;

/** What a sandbox asks of the program: all that a script can reach. What it hears and answers are texts. */
export class ScriptHost {
  readonly checks: ScriptCheck[] = [];
  console = '';
  exports: string | undefined;
  fault: ScriptFault | undefined;
  isOutOfMemory = false;
  /** Called when everything is loaded, before anything of the script runs. */
  onBegin: () => void = () => undefined;
  /** In milliseconds, by the time that was last looked. */
  #spent = 0;
  #looked: number;
  readonly #clockAndRandom: ClockAndRandom;

  /** @param clock of milliseconds, which only goes forward */
  constructor(
    readonly script: OutgoingScript,
    readonly clock: () => number = () => performance.now(),
  ) {
    const begin = clock();
    this.#looked = begin;
    this.#clockAndRandom = {
      ...seededRandom(String(script.chance)),
      now: () => Math.round(script.now + clock() - begin),
    };
  }

  /** Whether the script must not go on. */
  isOver(): boolean {
    if (this.fault) return true;
    const now = this.clock();
    this.#spent += Math.min(longestStep, now - this.#looked);
    this.#looked = now;
    if (this.#spent <= this.script.limits.time) return false;
    this.fault = timeFault(this.script.limits.time);
    return true;
  }

  /**
   * Told when nothing of it is left to be done.
   * @param isFull whether it has taken all memory: a promise that there was no room for is one that never comes
   */
  end(isFull: boolean): void {
    if (this.fault || this.exports !== undefined) return;
    if (this.isOver()) return;
    if (isFull) {
      this.isOutOfMemory = true;
      this.fault = memoryFault(this.script.limits.memory);
      return;
    }
    this.fault = {
      kind: 'pending',
      message: 'The script waits for something that never comes, so not all of it was carried out.',
      through: [],
    };
  }

  /** Never throws: an answer that begins with ! says why there is none. */
  answer([what = '', ...given]: readonly string[]): string {
    try {
      return this.#answer(what, given);
    } catch (error) {
      return `!${(error as Error).message}`;
    }
  }

  #answer(what: string, given: readonly string[]): string {
    const [first = '', second = '', third = '', fourth = ''] = given;
    switch (what) {
      case 'begin':
        this.onBegin();
        return '';
      case 'values':
        return written(this.script.values);
      case 'has':
        return this.#exchange(first) ? 'yes' : 'no';
      case 'words':
        return written(this.#exchange(first)!.words);
      case 'fields':
        return written(pack((this.#exchange(first)!.fields ?? null) as Value));
      case 'text':
      case 'json':
      case 'bytes':
        return this.#content(what, first);
      case 'call':
        return this.#call(first, given.slice(1));
      case 'holds':
        return this.#holds(first, second, third);
      case 'equals':
        return this.#equals(first, { found: second, expected: third }, fourth);
      case 'print':
        this.#print(first);
        return '';
      case 'random':
        return String(this.#clockAndRandom.random());
      case 'uuid':
        return this.#clockAndRandom.uuid();
      case 'now':
        return String(this.#clockAndRandom.now());
      case 'exports':
        this.exports = first;
        return '';
      case 'unfit':
        this.fault = {
          kind: 'export',
          message: `'${first}' cannot be kept: it is ${second}. A value is what JSON has, a BigInt, or bytes.`,
          through: [],
        };
        return '';
      case 'thrown':
        this.#thrown(first, second, third);
        return '';
      default:
        return '!nothing';
    }
  }

  #exchange(name: string): HandedExchange | undefined {
    return this.script.exchange[name as 'answer'];
  }

  #content(what: 'text' | 'json' | 'bytes', name: string): string {
    const { content, contentType, unreadable, document } = this.#exchange(name)!;
    if (what === 'json' && document) return written(document);
    if (unreadable !== undefined) return `!${unreadable}`;
    if (!content) return `!there is no ${what} here`;
    if (what === 'bytes') return written(pack(content));
    const text = decodeBody(content, contentType);
    if (text instanceof Missing) return `!${text.reason}`;
    if (what === 'text') return written(pack(text));
    try {
      return written(pack(documentIn(text, contentType)));
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return `!the body is no JSON: ${error.message}`;
    }
  }

  /** A function of the language; what it gives in place of a value is thrown. */
  #call(name: string, given: readonly string[]): string {
    const { parameters, optional = 0, apply } = functions[name]!;
    if (given.length > parameters.length || given.length < parameters.length - optional)
      return `!${name}() takes ${counted(parameters.length, 'argument')}${optional > 0 ? ', the last if wanted' : ''}, not ${given.length}`;
    const values: Value[] = [];
    for (const [at, packed] of given.entries()) {
      const fit = fitParameter(name, parameters[at]!, unpack(packed));
      if (fit instanceof Missing) return `!${fit.reason}`;
      values.push(fit);
    }
    const at = parameters.indexOf('pattern');
    const pattern = at < 0 ? undefined : patternFromText(values[at]!);
    if (pattern instanceof Missing) return `!${pattern.reason}`;
    const result = apply(values, this.#clockAndRandom, pattern);
    return result instanceof Missing ? `!${result.reason}` : written(pack(result));
  }

  #holds(label: string, made: string, stack: string): string {
    if (made === 'true' || made === 'false') {
      const holds = made === 'true' ? 'yes' : 'no';
      return this.#check(
        { how: 'holds', label, holds, ...(holds === 'no' && { expected: 'true', found: 'false' }) },
        stack,
      );
    }
    const found = `${inWords(made)}, which is neither true nor false`;
    return this.#check({ how: 'holds', label, holds: 'unknown', expected: 'true', found }, stack);
  }

  #equals(label: string, { found, expected }: { found: string; expected: string }, stack: string): string {
    const check = { how: 'equals' as const, label, expected: inWords(expected), found: inWords(found) };
    if (found.startsWith('!') || expected.startsWith('!'))
      return this.#check({ ...check, holds: 'no' }, stack);
    const [value, wanted] = [unpack(found), unpack(expected)];
    if (equal(value, wanted) === true) return this.#check({ ...check, holds: 'yes' }, stack);
    const large = [value, wanted].every(Array.isArray) || [value, wanted].every(isObject);
    const parts = large ? differences(value, wanted, 'it', mostDifferences) : [];
    return this.#check({ ...check, holds: 'no', differences: parts }, stack);
  }

  #check(check: Omit<ScriptCheck, 'through'>, stack: string): 'yes' | 'no' {
    if (this.checks.length === mostChecks) {
      this.fault ??= {
        kind: 'limit',
        message: `The script makes more than ${counted(mostChecks, 'check')}.`,
        through: this.#placesIn(stack),
      };
      return 'no';
    }
    const { label } = check;
    const through = this.#placesIn(stack);
    if (label.startsWith('!'))
      this.checks.push({
        ...check,
        label: label.slice(1),
        holds: 'unknown',
        found: 'a label that is no text',
        through,
      });
    else this.checks.push({ ...check, through });
    return check.holds === 'yes' && !label.startsWith('!') ? 'yes' : 'no';
  }

  #print(text: string): void {
    const room = mostPrinted - this.console.length;
    if (room > 0) this.console += `${text.slice(0, room)}\n`;
  }

  #thrown(name: string, message: string, stack: string): void {
    if (this.fault) return;
    const through = this.#placesIn(stack);
    if (/out of memory/.test(message)) {
      this.isOutOfMemory = true;
      this.fault = memoryFault(this.script.limits.memory, through);
      return;
    }
    if (name === 'InternalError' && message === 'interrupted' && this.isOver()) return;
    const said = name === '' ? `The script threw: ${message}` : `${name}: ${message}`;
    this.fault = { kind: 'exception', message: said, through };
  }

  /** The lines of the script, and of its modules, that stand in what the engine calls a stack. */
  #placesIn(stack: string): ScriptPlace[] {
    const files = [this.script.file, ...this.script.modules.keys()];
    return stack.split('\n').flatMap(frame => {
      const [, before = '', line, column] = /^(.*):(\d+):(\d+)\)?$/.exec(frame) ?? [];
      const file = files.find(each => before.endsWith(`(${each}`) || before.endsWith(` ${each}`));
      return file === undefined ? [] : [{ file, line: Number(line), column: Number(column) }];
    });
  }
}

function written({ json, marked }: Packed): string {
  return (marked ? '1' : '0') + json;
}

function inWords(packed: string): string {
  return packed.startsWith('!') ? packed.slice(1) : describe(unpack(packed));
}
