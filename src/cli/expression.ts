import { checkStatement } from '../core/language/analyse.ts';
import type { Check, Keep, ResponseSource, Statement } from '../core/language/ast.ts';
import { compileCondition } from '../core/language/compile-condition.ts';
import { compileExpression } from '../core/language/compile-expression.ts';
import { compileItems } from '../core/language/compile-source.ts';
import { explain } from '../core/language/explain.ts';
import { isSingular } from '../core/language/jsonpath/ast.ts';
import { parseStatements } from '../core/language/parser.ts';
import { loadPatterns } from '../core/language/patterns.ts';
import type { ResponseView } from '../core/language/response.ts';
import type { Scene } from '../core/language/scene.ts';
import { sourcesIn, usesPatterns } from '../core/language/walk.ts';
import type { Masker } from '../core/record/mask.ts';
import { type Finding, finding, Mistake } from '../core/text/finding.ts';
import { Excerpt, Source } from '../core/text/source.ts';
import { writeJson } from '../core/values/json.ts';
import { textOf } from '../core/values/text.ts';
import { Missing, type Value } from '../core/values/value.ts';
import { world } from '../drivers/world.ts';
import { exitCodes } from './exit.ts';
import { printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** What an expression comes to: texts fit for a pipe, and what is to be said where it comes to nothing. */
export interface Picked {
  readonly output: readonly (string | Uint8Array)[];
  readonly problem?: string;
}

export interface Picker {
  readonly pick: (scene: Scene) => Picked;
  /** Everything of a response that it looks at. */
  readonly sources: readonly ResponseSource[];
}

/** Reads a value or a condition that is given on the command line; null where it cannot be read, which is told. */
export async function readPicker(text: string, terminal: Terminal): Promise<Picker | null> {
  const lead = 'keep ';
  const value = parse(`${lead}${text} as picked`, lead.length);
  const condition = parse(text, 0);
  // Where neither can be read, the one that got further is what was meant.
  const read =
    value.findings.length === 0
      ? value
      : condition.findings.length === 0
        ? condition
        : further(value, condition);
  if (read.findings.length > 0) {
    await printFindings(read.findings, terminal);
    process.exitCode = exitCodes.nothingSent;
    return null;
  }
  const statement = read.statement!;
  if (usesPatterns(statement)) await loadPatterns();
  const pick = statement.type === 'check' ? pickCondition(statement) : pickValue(statement as Keep);
  return { pick, sources: sourcesIn(statement) };
}

/** Prints what was picked to standard output, and why nothing was to standard error. */
export function printPicked({ output, problem }: Picked, { out, err }: Terminal, masker: Masker): void {
  for (const each of output)
    if (typeof each === 'string') out(`${masker.text(each)}\n`);
    else process.stdout.write(each);
  if (problem === undefined) return;
  err(`${masker.text(problem)}\n`);
  process.exitCode = exitCodes.failed;
}

/** What an expression of the command line sees: a response and its request, and no names. */
export function sceneFor(response: ResponseView | undefined, sent?: ResponseView): Scene {
  return { response, sent, lookup: () => undefined, world, notes: [] };
}

interface Read {
  readonly statement: Statement | undefined;
  readonly findings: Finding[];
}

function parse(written: string, lead: number): Read {
  const whole = new Source('the expression', written);
  const { statements, mistakes } = parseStatements(new Excerpt(whole, written, 1));
  const [statement] = statements;
  const found = [...mistakes];
  if (statement && found.length === 0) found.push(...mistakesIn(statement));
  if (found.length === 0 && statements.length !== 1)
    found.push(new Mistake('syntax', { start: lead, end: lead }, 'One value or one condition is wanted.'));
  // Places are told in what was typed, without the words around it.
  const typed = new Source('the expression', written.slice(lead).replace(/ as picked$/, ''));
  const findings = found.map(({ code, range, message, remedy }) => {
    const shift = (at: number) => Math.min(Math.max(0, at - lead), typed.text.length);
    return finding(code, typed, { start: shift(range.start), end: shift(range.end) }, message, remedy);
  });
  return { statement, findings };
}

/** A path that can match several values picks all of them. */
function mistakesIn(statement: Statement): Mistake[] {
  const mistakes = checkStatement(statement);
  return statement.type === 'keep' ? mistakes.filter(each => each.code !== 'many-values') : mistakes;
}

function further(a: Read, b: Read): Read {
  return (b.findings[0]?.range.start ?? 0) > (a.findings[0]?.range.start ?? 0) ? b : a;
}

function pickValue({ value }: Keep): Picker['pick'] {
  if (value.type === 'source' && value.form === 'path' && !isSingular(value.path.segments)) {
    const select = compileItems(value);
    const { text } = value.path;
    return scene => {
      const found = select(scene);
      if (found instanceof Missing) return { output: [], problem: found.reason };
      if (found.length === 0) return { output: [], problem: `${text} matches nothing` };
      return { output: found.map(match => valueText(match.value)) };
    };
  }
  const evaluate = compileExpression(value);
  return scene => {
    const found = evaluate(scene);
    return found instanceof Missing ? { output: [], problem: found.reason } : { output: [valueText(found)] };
  };
}

/** Texts as they are, without quotes; everything else as JSON. */
function valueText(value: Value): string | Uint8Array {
  if (value instanceof Uint8Array) return value;
  return textOf(value) ?? writeJson(value);
}

function pickCondition({ condition, written }: Check): Picker['pick'] {
  const decide = compileCondition(condition);
  return scene => {
    const truth = decide(scene);
    if (truth === true) return { output: ['holds'] };
    const { expected, found } = explain(condition, scene.notes, written, scene);
    return { output: [], problem: `does not hold: expected ${expected}, found ${found}` };
  };
}
