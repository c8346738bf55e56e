import type { HandedAnswer } from '../../language/answer-view.ts';
import type { Package } from '../../language/packages.ts';
import type { OperationPort } from '../operation-port.ts';
import type { Packed } from './transfer.ts';

// What goes to a sandbox and comes from it can be handed from one thread to another.

/** A script with all that it is given. */
export interface OutgoingScript {
  /** Of its page, from the root of the collection: modules are found from there. */
  readonly file: string;
  readonly text: string;
  /** Modules of the collection, by their paths. */
  readonly modules: ReadonlyMap<string, string>;
  /** An object with a member for each name. */
  readonly values: Packed;
  readonly exchange: { readonly [name in 'answer' | 'request' | 'secretRequest']?: HandedExchange };
  /** The functions of the language that it uses. */
  readonly functions: readonly string[];
  /** What those cannot do without. */
  readonly packages: readonly Package[];
  /** Milliseconds since 1970. */
  readonly now: number;
  /** What its chance begins with: from 0 up to 1. */
  readonly chance: number;
  readonly limits: ScriptLimits;
}

export type HandedExchange = Omit<HandedAnswer, 'words' | 'document'> & {
  readonly words: Packed;
  readonly document?: Packed;
};

export interface ScriptLimits {
  /** In milliseconds, from when it begins. */
  readonly time: number;
  /** In bytes. */
  readonly memory: number;
}

/** Where in a script, or in one of its modules; both from 1. */
export interface ScriptPlace {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

export interface ScriptCheck {
  readonly how: 'holds' | 'equals';
  readonly label: string;
  readonly holds: 'yes' | 'no' | 'unknown';
  readonly expected?: string;
  readonly found?: string;
  readonly differences?: readonly {
    readonly at: string;
    readonly expected: string;
    readonly found: string;
  }[];
  /** The calls that led to it, the innermost first. */
  readonly through: readonly ScriptPlace[];
}

/** Why a script did not come to its end. */
export interface ScriptFault {
  readonly kind: 'exception' | 'export' | 'pending' | 'timeout' | 'limit' | 'interrupted';
  readonly message: string;
  /** The calls that led to it, the innermost first. */
  readonly through: readonly ScriptPlace[];
}

export interface EndedScript {
  /** An object with a member for each name that it gives; nothing where it came to nothing. */
  readonly exports?: string;
  readonly checks: readonly ScriptCheck[];
  readonly console: string;
  readonly fault?: ScriptFault;
  /** In milliseconds. */
  readonly time: number;
}

/** What carries out scripts. */
export interface ScriptPort extends OperationPort<undefined> {
  run(script: OutgoingScript, signal: AbortSignal): Promise<EndedScript>;
}
