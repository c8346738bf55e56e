import type { Condition, Expression, StatementNode } from '../language/ast.ts';
import type { StatementSyntax } from '../language/parser.ts';

/** Stands directly before the operation that is carried out again until something holds. */
export interface Repeat extends StatementNode {
  readonly type: 'repeat';
  readonly every: Expression;
  readonly limit: Expression;
  readonly until: Condition;
}

// repeat :: repeat every value for value until condition
export const repeatSyntax: StatementSyntax<Repeat> = {
  word: 'repeat',
  parse(parser, start) {
    parser.requireWord('every', "'repeat'");
    const every = parser.value();
    parser.requireWord('for', 'the pause');
    const limit = parser.value();
    parser.requireWord('until', 'the time limit');
    const until = parser.condition();
    const range = parser.lexer.since(start);
    return { type: 'repeat', every, limit, until, parts: [every, limit, until], range };
  },
};
