import type { ResponseView } from '../../steps/http/response-view.ts';

/** What is done to a part of a response, in the word that stands for it wherever changes are told. */
export type ChangeKind =
  | 'status'
  | 'gone'
  | 'changed'
  | 'null'
  | 'kind'
  | 'value'
  | 'empty'
  | 'shorter'
  | 'longer'
  | 'order'
  | 'cut'
  | 'added';

/** One thing that is not as it came. */
export interface Change {
  readonly kind: ChangeKind;
  /** What it is done to, as a page would look at it: `status`, `header etag`, `$.berths[*].code`, `xml/tides/@quay`, `body`. */
  readonly at: string;
  /** In words: `"free" becomes "taken"`. Of most changes nobody asks for them. */
  readonly words: () => string;
  /** The response with it. */
  readonly apply: () => ResponseView;
}

/** A number from 0 up to 1, for what is chosen by chance. */
export type Chance = () => number;
