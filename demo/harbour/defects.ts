/** Mistakes that the harbour makes on purpose, one by one, so that checks can be seen to catch them. */
export const defects = {
  'leaking-list': 'the list of free berths holds a closed one too',
  'lying-count': 'the count of a list is one too high',
  'late-cancel': 'a cancelled reservation can still be read',
  'rounded-ids': 'ids lose their last digits',
} as const;

export type Defect = keyof typeof defects;

export function isDefect(name: string): name is Defect {
  return Object.hasOwn(defects, name);
}
