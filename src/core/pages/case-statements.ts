import type { Reference, StatementNode } from '../language/ast.ts';
import type { StatementSyntax } from '../language/parser.ts';
import type { Range } from '../model/source.ts';
import { type Repeat, repeatSyntax } from '../steps/repeat.ts';

// Statements that are no steps: they are about a case, or a request, as a whole.

/** `each row of vessels.csv` */
export interface EachRow extends StatementNode {
  readonly type: 'each-row';
  /** The name of a fence of the page, or a file. */
  readonly table: string;
}

/** `each {berths} as berth` */
export interface EachValue extends StatementNode {
  readonly type: 'each-value';
  readonly list: Reference;
  readonly name: string;
  readonly nameRange: Range;
}

/** The case runs at the end of the iteration. */
export interface Cleanup extends StatementNode {
  readonly type: 'cleanup';
}

// rows :: each row of ( name | text )    values :: each reference as name    else a condition that begins with each
const eachSyntax: StatementSyntax<EachRow | EachValue> = {
  word: 'each',
  parse(parser, start) {
    const { lexer } = parser;
    if (lexer.takeWord('row')) {
      parser.requireWord('of', "'each row'");
      const table = parser.fileOrName('The name of a table or a file');
      return { type: 'each-row', table, parts: [], range: lexer.since(start) };
    }
    const list = lexer.readReference();
    if (!list || !lexer.takeWord('as')) return undefined;
    const { name, range: nameRange } = lexer.readName('A name');
    return { type: 'each-value', list, name, nameRange, parts: [list], range: lexer.since(start) };
  },
};

const cleanupSyntax: StatementSyntax<Cleanup> = {
  word: 'cleanup',
  parse: ({ lexer }, start) => ({ type: 'cleanup', parts: [], range: lexer.since(start) }),
};

export const caseSyntaxes = [eachSyntax, cleanupSyntax, repeatSyntax] as const;

export type CaseStatement = EachRow | EachValue | Cleanup | Repeat;

/** Where each of them goes; nothing for a statement that is a step. */
export function roleOf({ type }: StatementNode): 'each' | 'cleanup' | 'repeat' | undefined {
  switch (type) {
    case 'each-row':
    case 'each-value':
      return 'each';
    case 'cleanup':
    case 'repeat':
      return type;
    default:
      return undefined;
  }
}
