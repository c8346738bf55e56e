import { type Found, isObject, Missing, type Value } from '../../values/value.ts';

export interface PathFunction {
  /** Whether each argument is one value or the list of what a query matches (RFC 9535, 2.4.1). */
  readonly parameters: readonly ('value' | 'nodes')[];
  readonly result: 'value' | 'logical';
  /** An argument of type `nodes` comes as a list of the matched values. */
  readonly apply: (...given: Found[]) => Found;
}

const nothing = new Missing('a function gave nothing');

/** The functions that a filter may call. */
export const pathFunctions: { readonly [name: string]: PathFunction } = Object.assign(Object.create(null), {
  length: {
    parameters: ['value'],
    result: 'value',
    apply: (value: Found) => {
      if (typeof value === 'string') return [...value].length;
      if (Array.isArray(value)) return value.length;
      return isObject(value) ? Object.keys(value).length : nothing;
    },
  },
  count: { parameters: ['nodes'], result: 'value', apply: (nodes: Found) => (nodes as Value[]).length },
  value: {
    parameters: ['nodes'],
    result: 'value',
    apply: (nodes: Found) => ((nodes as Value[]).length === 1 ? (nodes as Value[])[0]! : nothing),
  },
} satisfies { [name: string]: PathFunction });
