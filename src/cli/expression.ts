import { withRemedies } from '../core/analysis/remedies.ts';
import { schemaFromFile } from '../core/analysis/schemas.ts';
import { checkStatement } from '../core/language/analyse.ts';
import type { AnswerView } from '../core/language/answer-view.ts';
import type { Check, Expression, ResponseSource, StatementNode } from '../core/language/ast.ts';
import { compileCondition } from '../core/language/compile-condition.ts';
import { compileExpression } from '../core/language/compile-expression.ts';
import { compileItems, compileSource, writtenSource } from '../core/language/compile-source.ts';
import { SchemaError, type Validator } from '../core/language/documents/schema.ts';
import type { EvaluationContext } from '../core/language/evaluation-context.ts';
import { explain } from '../core/language/explain.ts';
import { isSingular } from '../core/language/jsonpath/ast.ts';
import { loadPackages, packagesOf } from '../core/language/packages.ts';
import { parseExpressions } from '../core/language/parser.ts';
import { sourcesIn } from '../core/language/walk.ts';
import { codes, findingOf, SourceError } from '../core/model/finding.ts';
import { Excerpt, Source } from '../core/model/source.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Missing, type Value } from '../core/model/value.ts';
import { errorsInStatement, readStatements, type Statement } from '../core/pages/statements.ts';
import type { Masker } from '../core/secrecy/masker.ts';
import type { Keep } from '../core/steps/keep/keep.ts';
import { counted } from '../core/text/words.ts';
import { writeJson } from '../core/values/json-document.ts';
import { textOf } from '../core/values/text.ts';
import { clockAndRandom } from '../platform/external-sources.ts';
import { readBytesInside, readInside } from '../platform/files.ts';
import { visible } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** What an expression comes to: texts fit for a pipe, and what is to be said where it comes to nothing. */
export interface Picked {
  readonly output: readonly (string | Uint8Array)[];
  /** Where the matches stand that it looked at, where there is such a place. */
  readonly places?: readonly string[];
  readonly problem?: string;
}

export interface Picker {
  readonly pick: (context: EvaluationContext) => Picked;
  /** Everything of a response that it looks at. */
  readonly sources: readonly ResponseSource[];
}

/** Reads a value or a condition that is given on the command line; null where it cannot be read, which is told. */
export async function readPicker(text: string, terminal: Terminal): Promise<Picker | null> {
  const source = new Source('the expression', text);
  const value = await read(source, excerpt => valuesIn(excerpt));
  const condition = await read(source, excerpt => readStatements(excerpt));
  // Where neither can be read, the one that got further is what was meant.
  const meant =
    value.errors.length === 0 ? value : condition.errors.length === 0 ? condition : further(value, condition);
  if (meant.errors.length > 0) {
    await printFindings(await withRemedies(meant.errors.map(error => findingOf(error, source))), terminal);
    process.exitCode = exitCodes.nothingSent;
    return null;
  }
  const statement = meant.statement!;
  const pick = isPicked(statement) ? pickValue(statement) : pickCondition(statement as Check);
  return { pick, sources: sourcesIn(statement) };
}

const mostPlaces = 20;

/** Prints what was picked to standard output, and what is to be said of it to standard error. */
export function printPicked(
  { output, problem, places }: Picked,
  { out, err, live }: Pick<Terminal, 'out' | 'err' | 'live'>,
  masker: Masker,
  { quiet = false }: { readonly quiet?: boolean } = {},
): void {
  // Another program gets a value as it is; in a terminal, what a server has put into it must not work.
  const shown = live ? visible : (text: string) => text;
  for (const each of output)
    if (typeof each === 'string') out(`${shown(masker.text(each))}\n`);
    else process.stdout.write(each);
  if (places && !quiet) err(`${visible(masker.text(placesInWords(places)))}\n`);
  if (problem === undefined) return;
  err(`${visible(masker.text(problem))}\n`);
  process.exitCode = exitCodes.failed;
}

/** `1 match: $['id']`, or a line for each of several. */
function placesInWords(places: readonly string[]): string {
  const matches = counted(places.length, 'match', 'matches');
  if (places.length < 2) return [matches, ...places].join(': ');
  const shown = places.slice(0, mostPlaces).map(place => `  ${place}`);
  const more = places.length - shown.length;
  return [`${matches}:`, ...shown, ...(more > 0 ? [`  and ${more} more`] : [])].join('\n');
}

/** What an expression of the command line sees: a response and its request, and no names. */
export function contextFor(response: AnswerView | undefined, sent?: AnswerView): EvaluationContext {
  return {
    response,
    sent,
    lookup: () => undefined,
    schema: schemaHere,
    file: path => readBytesInside({ root: process.cwd(), anywhere: true }, path),
    clockAndRandom,
    notes: [],
  };
}

/** A schema is a file, as seen from the working folder. Throws UsageError. */
function schemaHere(name: string): Validator {
  try {
    return schemaFromFile(name, path => readInside({ root: process.cwd(), anywhere: true }, path));
  } catch (error) {
    if (!(error instanceof SchemaError)) throw error;
    throw new UsageError(`The schema '${name}' cannot be used: ${error.message}.`);
  }
}

/** A value alone, in the form of a statement. */
interface PickedValue extends StatementNode {
  readonly type: 'value';
  readonly value: Expression;
}

function valuesIn(excerpt: Excerpt): { statements: PickedValue[]; errors: SourceError[] } {
  const { expressions, errors } = parseExpressions(excerpt);
  const statements = expressions.map(value => {
    const { range } = value;
    return { type: 'value' as const, value, parts: [value], range, written: excerpt.text.trim() };
  });
  return { statements, errors };
}

type Picking = Statement | PickedValue;

interface Read {
  /** Whether it reads as a whole, and only what it says is wrong. */
  readonly whole: boolean;
  readonly statement: Picking | undefined;
  readonly errors: readonly SourceError[];
}

async function read(
  source: Source,
  statementsOf: (excerpt: Excerpt) => { statements: readonly Picking[]; errors: readonly SourceError[] },
): Promise<Read> {
  const { statements, errors } = statementsOf(new Excerpt(source, source.text, 1));
  const [statement] = statements;
  if (errors.length > 0) return { whole: false, statement, errors };
  if (!statement || statements.length > 1 || !(isPicked(statement) || statement.type === 'check'))
    return { whole: false, statement, errors: [notOne] };
  await loadPackages(packagesOf(statement));
  return { whole: true, statement, errors: errorsIn(statement) };
}

const notOne = new SourceError('syntax', { start: 0, end: 0 }, 'One value or one condition is wanted.');

/** What gives a value: one alone, or the one that a statement keeps. */
function isPicked(statement: Picking): statement is PickedValue | Keep {
  return statement.type === 'value' || statement.type === 'keep';
}

/** A path that can match several values picks all of them; what is only to be warned of is no matter here. */
function errorsIn(statement: Picking): SourceError[] {
  const found = statement.type === 'value' ? checkStatement(statement) : errorsInStatement(statement);
  const errors = found.filter(({ code }) => codes[code] === 'error');
  return isPicked(statement) ? errors.filter(each => each.code !== 'many-values') : errors;
}

function further(value: Read, condition: Read): Read {
  if (value.whole !== condition.whole) return value.whole ? value : condition;
  return (value.errors[0]?.range.start ?? 0) > (condition.errors[0]?.range.start ?? 0) ? value : condition;
}

function pickValue({ value }: Pick<Keep, 'value'>): Picker['pick'] {
  const source = value.type === 'query' ? value.of : value;
  const select = source.type === 'source' && isDocument(source) ? compileItems(source) : undefined;
  const evaluate = select && value === source ? undefined : compileExpression(value);
  return context => {
    const matches = select?.(context);
    if (matches instanceof Missing) return { output: [], problem: matches.reason };
    const places = matches && { places: matches.map(match => match.normalizedPath) };
    if (!evaluate)
      return matches!.length > 0
        ? { output: matches!.map(match => valueText(match.value)), ...places }
        : { output: [], ...places, problem: nothingThere(source as ResponseSource, context) };
    const found = evaluate(context);
    return found instanceof Missing
      ? { output: [], ...places, problem: found.reason }
      : { output: [valueText(found)], ...places };
  };
}

/** Of these the matches have places. */
function isDocument({ form }: ResponseSource): boolean {
  return form === 'path' || form === 'xml' || form === 'html';
}

/** A path that goes one way says where it ends. */
function nothingThere(source: ResponseSource, context: EvaluationContext): string {
  const oneWay = source.form !== 'path' || isSingular(source.path.segments);
  const found = oneWay ? compileSource(source)(context) : undefined;
  return found instanceof Missing ? found.reason : `${writtenSource(source)} matches nothing`;
}

/** Texts as they are, without quotes; everything else as JSON. */
function valueText(value: Value): string | Uint8Array {
  if (value instanceof Uint8Array) return value;
  return textOf(value) ?? writeJson(value);
}

function pickCondition({ condition, written }: Check): Picker['pick'] {
  const decide = compileCondition(condition);
  return context => {
    const truth = decide(context);
    if (truth === true) return { output: ['holds'] };
    const { expected, found } = explain(condition, context.notes, written, context);
    const undecided = found.startsWith('cannot be decided');
    return { output: [], problem: undecided ? found : `does not hold: expected ${expected}, found ${found}` };
  };
}
