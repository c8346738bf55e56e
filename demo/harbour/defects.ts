/** Mistakes that the harbour makes on purpose, one by one, so that checks can be seen to catch them. */
export const defects = {
  'leaking-list': 'the list of free berths holds a closed one too',
  'lying-count': 'the count of a list is one too high',
  'late-cancel': 'a cancelled reservation can still be read',
  'rounded-ids': 'ids lose their last digits',
  'open-door': 'who has left the watch is still let in',
  'endless-pages': 'the last page of a list names a next one',
  'lost-update': 'a berth can be changed by who has not seen its latest state',
  'upside-down': 'high tides are told as low ones',
  'deaf-ledger': 'the ledger does not hear of what is cancelled',
  'open-seal': 'customs clear goods whatever their seal says',
  'turned-vane': 'the wind is told in degrees rather than in words',
  'never-fast': 'a mooring never comes to an end',
} as const;

export type Defect = keyof typeof defects;

export function isDefect(name: string): name is Defect {
  return Object.hasOwn(defects, name);
}
