import { functions } from '../../language/functions/table.ts';

// What a script can import that is part of Mervok.

/** By the name of the module; of `mervok:values` every name of the page is one. */
export const standardModules: ReadonlyMap<string, readonly string[] | undefined> = new Map([
  ['mervok:values', undefined],
  ['mervok:exchange', ['answer', 'request', 'secretRequest']],
  ['mervok:functions', Object.keys(functions)],
  ['mervok:checks', ['holds', 'equals']],
]);

/** What hangs on where a script stands, and so belongs to its fence alone. */
export const ofFence: ReadonlySet<string> = new Set(['mervok:values', 'mervok:exchange']);
