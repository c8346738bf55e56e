import type { Expression } from '../../language/ast.ts';
import { compileExpression } from '../../language/compile-expression.ts';
import type { Evaluate } from '../../language/compile-reference.ts';
import type { StatementSyntax } from '../../language/parser.ts';
import { TemplateError } from '../../language/templates/render.ts';
import type { Place } from '../../model/place.ts';
import { type Found, Missing } from '../../model/value.ts';
import { isLiteralSecret, secretName } from '../../secrecy/secret-names.ts';
import { givenNames, type NamingStatement, NamingStep } from '../naming-step.ts';
import { once, statementKind } from '../statement-kind.ts';
import { evaluateInTime } from '../statement-timeout.ts';
import type { StepPreview, StepRun } from '../step.ts';

export interface Let extends NamingStatement {
  readonly type: 'let';
  readonly value: Expression;
}

// let :: let name = value
const letSyntax: StatementSyntax<Let> = {
  word: 'let',
  parse(parser, start) {
    const { lexer } = parser;
    const { name, range: nameRange } = lexer.readName('A name');
    lexer.require('=', `'let ${name}'`);
    const value = parser.value();
    return { type: 'let', name, nameRange, value, parts: [value], range: lexer.since(start) };
  },
};

export const letKind = statementKind<Let>({
  type: 'let',
  syntax: letSyntax,
  patterns: ({ value }) => [value],
  gives: statement => givenNames(statement, 'let'),
  plan: (statement, place) => new LetStep(statement, place),
  writtenSecrets: ({ name, value }) =>
    value.type === 'text' && secretName.test(name) && isLiteralSecret(value.parts)
      ? [{ range: value.range, what: `'${name}'` }]
      : [],
});

class LetStep extends NamingStep {
  readonly kind = 'let';
  readonly #evaluate: Evaluate;

  constructor(
    readonly statement: Let,
    place: Place,
  ) {
    super(statement, 'let', place);
    this.#evaluate = once(() => compileExpression(statement.value));
  }

  carryOut(run: StepRun): boolean {
    const value = evaluateInTime(this.#evaluate, run.evaluation);
    if (value instanceof Missing) return run.stop(`${this.statement.written}: ${value.reason}.`, this.place);
    this.giveName(run, value);
    return true;
  }

  preview(preview: StepPreview): void {
    const value = this.#valueBefore(preview.evaluation);
    if (value === undefined || value instanceof Missing) preview.names.forget(this.gives[0]);
    else this.giveName(preview, value);
  }

  #valueBefore(evaluation: StepPreview['evaluation']): Found | undefined {
    try {
      return this.#evaluate(evaluation);
    } catch (error) {
      if (error instanceof TemplateError) return undefined;
      throw error;
    }
  }
}
