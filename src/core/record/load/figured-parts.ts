import type { RecordedLoad } from '../../model/load-events.ts';
import type { Place } from '../../model/place.ts';

/** What figures are of: requests and cases, each named by its place in a list that the first line of the record has. */
export type FiguredParts = Pick<RecordedLoad, 'requests' | 'cases'>;

/** Finds the requests and cases of figures by what events say of them. */
export class FiguredIndex {
  readonly #requests = new Map<string, number>();
  readonly #cases: ReadonlyMap<string, number>;
  /** The same by the place itself, which all events of a step share. */
  readonly #known = new WeakMap<Place, number>();

  constructor({ requests, cases }: FiguredParts) {
    this.#cases = new Map(cases.map((each, index) => [each.case, index]));
    for (const [index, { case: address, place }] of requests.entries())
      this.#requests.set(keyOf(address, place), index);
  }

  request(address: string, place: Place): number | undefined {
    let index = this.#known.get(place);
    if (index === undefined) {
      index = this.#requests.get(keyOf(address, place));
      if (index !== undefined) this.#known.set(place, index);
    }
    return index;
  }

  case(address: string): number | undefined {
    return this.#cases.get(address);
  }
}

function keyOf(address: string, { file, line }: Place): string {
  return `${address} ${file}:${line}`;
}
