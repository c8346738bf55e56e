import { join, relative } from 'node:path';
import { examineExamples } from '../core/examples/examine-examples.ts';
import type { Finding } from '../core/model/finding.ts';
import { shownOf } from '../core/secrecy/shown-finding.ts';
import { ambiguousTargets } from '../core/stand-in/ambiguous-targets.ts';
import { counted } from '../core/text/words.ts';
import { countFindings } from '../reports/findings-text.ts';
import { exitCodes } from './exit.ts';
import {
  definitionInWords,
  type LintedDefinition,
  lintDefinition,
  namesDefinition,
} from './lint-definitions.ts';
import { type PlanFlags, type Prepared, preparePlan, printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface LintFlags extends PlanFlags {
  readonly quiet?: boolean;
  /** Warnings weigh as much as errors. */
  readonly strict?: boolean;
  readonly json?: boolean;
}

export async function lintCommand(
  paths: readonly string[],
  flags: LintFlags,
  terminal: Terminal,
): Promise<void> {
  const definitions: LintedDefinition[] = [];
  for (const path of paths.filter(namesDefinition))
    definitions.push(await lintDefinition(path, flags.filesAnywhere === true));
  const pages = paths.filter(path => !namesDefinition(path));
  const prepared = pages.length > 0 || paths.length === 0 ? await preparePlan(pages, flags) : undefined;
  const found = [
    ...(prepared?.findings.map(ofAnotherMachine) ?? []),
    ...(prepared ? await examineExamples(prepared.plan, prepared.flow) : []),
    ...(prepared ? ambiguousTargets(prepared.plan, prepared.flow) : []),
    ...definitions.flatMap(each => each.findings),
  ];
  const findings = flags.strict ? found.map(asError) : found;
  const errors = findings.filter(each => each.severity === 'error');
  const shown = flags.quiet ? errors : findings;
  if (flags.json) terminal.out(`${JSON.stringify(asJson(prepared, definitions, shown), undefined, 2)}\n`);
  else if (shown.length > 0)
    await printFindings(shown, { ...terminal, err: terminal.out, paintErr: terminal.paint });
  else if (!flags.quiet) {
    const looked = [...(prepared ? [size(prepared)] : []), ...definitions.map(definitionInWords)];
    for (const each of looked) terminal.out(`${each}: nothing to find fault with.\n`);
  }
  if (prepared && !flags.json && !flags.quiet) await countDefinitions(prepared, definitions, flags, terminal);
  if (errors.length > 0) process.exitCode = exitCodes.nothingSent;
}

/** Of definitions that settings name it is only said how much there is to say; naming one says it. */
async function countDefinitions(
  { plan, root, findings }: Prepared,
  named: readonly LintedDefinition[],
  flags: LintFlags,
  { out }: Terminal,
): Promise<void> {
  for (const file of plan.definitions) {
    const isTold = (each: { readonly code: string }) => /^definition-(?:missing|unreadable)$/.test(each.code);
    if (named.some(each => each.file === file) || findings.some(isTold)) continue;
    const path = relative(process.cwd(), join(root, file));
    const found = await lintDefinition(path, flags.filesAnywhere === true);
    if (found.findings.length > 0)
      out(`${file}: ${countFindings(found.findings)}. They are told by: mervok lint ${path}\n`);
  }
}

/** What is not set or chosen here may be where the pages run. */
function ofAnotherMachine(found: Finding): Finding {
  const isElsewhere = found.code === 'os-unset' || found.code === 'environment-unchosen';
  return isElsewhere ? { ...found, severity: 'warning' } : found;
}

function asError(found: Finding): Finding {
  return { ...found, severity: 'error' };
}

function size({ plan, cases }: Prepared): string {
  return `${counted(plan.pages.length, 'page')}, ${counted(cases, 'case')}, ${counted(plan.checks, 'check')}`;
}

/** The findings for programs; lines and columns count from 1, columns in characters. */
function asJson(
  prepared: Prepared | undefined,
  definitions: readonly LintedDefinition[],
  findings: readonly Finding[],
) {
  return {
    format: 'mervok-lint',
    version: 1,
    pages: prepared?.plan.pages.length ?? 0,
    cases: prepared?.cases ?? 0,
    checks: prepared?.plan.checks ?? 0,
    ...(definitions.length > 0 && {
      definitions: definitions.map(({ file, version, operations }) => ({ file, version, operations })),
    }),
    findings: findings.map(found => {
      const { code, severity, source, range } = found;
      const { message, remedy, line } = shownOf(found);
      const [begin, end] = [source.position(range.start), source.position(range.end)];
      return {
        code,
        severity,
        file: source.file,
        line: begin.line,
        column: begin.column,
        endLine: end.line,
        endColumn: end.column,
        message,
        remedy,
        ...(line !== undefined && { text: line }),
      };
    }),
  };
}
