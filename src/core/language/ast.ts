import type { Range } from '../model/source.ts';
import type { Numeric } from '../model/value.ts';
import type { Selector } from './documents/selector.ts';
import type { Path } from './jsonpath/ast.ts';
import type { Reference } from './reference.ts';

/** Every node keeps the stretch of the page that it was read from. */
export interface Node {
  readonly range: Range;
}

// Values

export type { Reference };

export interface NumberLiteral extends Node {
  readonly type: 'number';
  readonly value: Numeric;
}

export interface TextLiteral extends Node {
  readonly type: 'text';
  readonly parts: readonly (string | Reference)[];
}

export interface DurationLiteral extends Node {
  readonly type: 'duration';
  readonly milliseconds: number;
}

export interface SizeLiteral extends Node {
  readonly type: 'size';
  readonly bytes: number;
}

export interface PatternLiteral extends Node {
  readonly type: 'pattern';
  readonly parts: readonly (string | Reference)[];
  readonly flags: string;
}

export interface ConstantLiteral extends Node {
  readonly type: 'constant';
  readonly value: true | false | null;
}

export interface ListLiteral extends Node {
  readonly type: 'list';
  readonly items: readonly Expression[];
}

export interface ObjectLiteral extends Node {
  readonly type: 'object';
  readonly members: readonly { readonly name: TextLiteral; readonly value: Expression }[];
}

/** A type word in the place of a value, inside `includes` only. */
export interface TypeWord extends Node {
  readonly type: 'type-word';
  readonly types: readonly TypeName[];
}

export type Literal =
  | NumberLiteral
  | TextLiteral
  | DurationLiteral
  | SizeLiteral
  | PatternLiteral
  | ConstantLiteral
  | ListLiteral
  | ObjectLiteral;

export const plainSources = [
  'bytes',
  'status',
  'reason',
  'version',
  'time',
  'size',
  'fault',
  'hops',
  'exit',
  'changed',
] as const;
export const namedSources = [
  'body',
  'url',
  'location',
  'header',
  'cookie',
  'link',
  'output',
  'errors',
] as const;

/** How a body is read that a path goes through: documents line by line, or a table with a header; else as its type says. */
export type DocumentForm = 'lines' | 'csv';

/** What a response, or the request as it was sent, offers. */
export type ResponseSource = Node & {
  readonly type: 'source';
  readonly sent: boolean;
  /** Of the response that a redirect came with: counted from 1. */
  readonly hop?: number;
} & (
    | { readonly form: 'path'; readonly path: Path; readonly as?: DocumentForm }
    | { readonly form: 'xml' | 'html'; readonly selector: Selector }
    | {
        readonly form: (typeof namedSources)[number];
        readonly argument?: string;
        readonly pattern?: PatternLiteral;
      }
    | { readonly form: (typeof plainSources)[number] }
  );

export type Pick = 'count' | 'first' | 'last' | 'nth' | 'random' | 'all';

/** `count $.berths[*]`, `nth 3 header via`. */
export interface Query extends Node {
  readonly type: 'query';
  readonly pick: Pick;
  /** For `nth`: counted from 1. */
  readonly position?: number;
  readonly of: ResponseSource | Reference;
}

export interface Call extends Node {
  readonly type: 'call';
  readonly name: string;
  readonly arguments: readonly Expression[];
  readonly path: readonly string[];
}

/** A condition in parentheses as a value: true, false, or unknown. */
export interface Truth extends Node {
  readonly type: 'truth';
  readonly condition: Condition;
}

/** `file "raw.bin"`: the bytes of a file. */
export interface FileBytes extends Node {
  readonly type: 'file';
  /** From the root of the collection, or absolute. */
  readonly path: string;
}

export interface Negative extends Node {
  readonly type: 'negative';
  readonly operand: Expression;
}

export interface Arithmetic extends Node {
  readonly type: 'arithmetic';
  readonly operator: '+' | '-' | '*' | '/';
  readonly left: Expression;
  readonly right: Expression;
}

export type Expression =
  | Literal
  | TypeWord
  | Reference
  | ResponseSource
  | Query
  | Call
  | Truth
  | FileBytes
  | Negative
  | Arithmetic;

// Conditions

export const typeNames = [
  'text',
  'number',
  'integer',
  'boolean',
  'list',
  'object',
  'null',
  'date',
  'timestamp',
  'uuid',
  'url',
  'email',
] as const;
/** One of `typeNames`, or a class of statuses such as `2xx`. */
export type TypeName = (typeof typeNames)[number] | `${number}xx`;

export type CompareOperator = '=' | '!=' | '<' | '<=' | '>' | '>=';

export type Predicate = Node & { readonly negated: boolean } & (
    | {
        readonly test: 'compare';
        readonly operator: CompareOperator;
        readonly value: Expression;
        readonly anyOrder: boolean;
      }
    | { readonly test: 'between'; readonly low: Expression; readonly high: Expression }
    | { readonly test: 'in'; readonly values: readonly Expression[] }
    | { readonly test: 'contains' | 'starts' | 'ends' | 'matches' | 'includes'; readonly value: Expression }
    /** The name of a fence or a file, and the file that the predicate stands in. */
    | { readonly test: 'fits'; readonly schema: string; readonly from: string }
    | { readonly test: 'is'; readonly types: readonly TypeName[] }
    | { readonly test: 'empty' | 'unique' | 'sorted' | 'sorted-down' }
    | { readonly test: 'exists' }
  );

export type Quantifier = 'each' | 'some' | 'no';

export interface Comparison extends Node {
  readonly type: 'comparison';
  readonly quantifier?: Quantifier;
  readonly subject: Expression;
  readonly predicate: Predicate;
}

export interface Junction extends Node {
  readonly type: 'and' | 'or';
  readonly conditions: readonly Condition[];
}

export interface Negation extends Node {
  readonly type: 'not';
  readonly condition: Condition;
}

export type Condition = Junction | Negation | Comparison;

// Statements

/** A statement, of whatever kind. It keeps its text, in one line and without comments, for reports. */
export interface StatementNode extends Node {
  readonly type: string;
  readonly written: string;
  /** What it is made of, in the order in which that is written. */
  readonly parts: readonly (Expression | Condition)[];
  /** All that those are made of, once somebody has asked for it; only who gathers it looks inside. */
  survey?: unknown;
}

/** A condition that has to hold, as it stands among statements and in settings. */
export interface Check extends StatementNode {
  readonly type: 'check';
  readonly label?: TextLiteral;
  readonly condition: Condition;
}
