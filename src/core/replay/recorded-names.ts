import type { Entry } from '../language/evaluation-context.ts';
import type { CaseValue } from '../model/events.ts';
import { Plain, type Value } from '../model/value.ts';
import { caseValue } from '../runner/case-values.ts';
import { mask } from '../secrecy/masker.ts';
import { JsonError, readJson } from '../values/json-document.ts';
import { isOpen } from '../values/open-value.ts';
import { type OfflineNames, openEntry } from './offline-case-run.ts';

/** Names with their values, as they were at some point of a run. */
export type KnownNames = ReadonlyMap<string, Entry>;

/** What a record tells of a value; nothing where it is masked, or only its beginning is there. */
export function recordedValue({ value }: Pick<CaseValue, 'value'>): Value | undefined {
  if (value.includes(mask) || value.endsWith('…') || /^(?:\[\d+ items\]|\{\d+ members\})$/.test(value))
    return undefined;
  if (!/^["[{]|^(?:true|false|null)$/.test(value)) return new Plain(value);
  try {
    return readJson(value);
  } catch (error) {
    if (error instanceof JsonError) return new Plain(value);
    throw error;
  }
}

/** As names have them; what is not known is open. */
export function recordedEntry(told: CaseValue): Entry {
  const value = recordedValue(told);
  return value === undefined ? openEntry : { value, origin: told.origin, secret: false };
}

/** Nothing is masked: what a record tells is, already. */
const nothingSecret = { text: (text: string) => text } as Parameters<typeof caseValue>[3];

/** Whether a value is the one that a record tells. */
export function isAsTold(entry: Entry, told: Pick<CaseValue, 'value'>): boolean {
  return shown(entry) === told.value;
}

/** Whether a record would tell the same of two values. */
export function isShownAlike(a: Entry, b: Entry): boolean {
  return !isOpen(a.value) && !isOpen(b.value) && shown(a) === shown(b);
}

function shown(entry: Entry): string {
  return caseValue('', 'kept', entry, nothingSecret).value;
}

/** The names of a case whose steps are carried out again: what it makes itself, then what was known when it began. */
export class ReplayedNames implements OfflineNames {
  readonly made = new Map<string, Entry>();
  /** What it makes, also where nobody may see it; nothing where it was not found. */
  readonly values = new Map<string, Value | undefined>();

  constructor(
    readonly known: KnownNames,
    /** What it makes by chance or by a clock, which is as it was. */
    readonly fixed: KnownNames = new Map(),
  ) {}

  lookup(name: string): Entry {
    return this.made.get(name) ?? this.known.get(name) ?? openEntry;
  }

  give({ name }: { readonly name: string }, entry: Entry, value?: Value): void {
    const fixed = this.fixed.get(name);
    this.made.set(name, fixed ?? entry);
    this.values.set(name, fixed ? fixed.value : value);
  }
}
