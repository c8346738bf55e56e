import type { Finding } from '../core/model/finding.ts';
import { shownOf } from '../core/secrecy/shown-finding.ts';
import { counted } from '../core/text/words.ts';
import { exitCodes } from './exit.ts';
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
  const prepared = await preparePlan(paths, flags);
  const found = prepared.findings.map(ofAnotherMachine);
  const findings = flags.strict ? found.map(asError) : found;
  const errors = findings.filter(each => each.severity === 'error');
  const shown = flags.quiet ? errors : findings;
  if (flags.json) terminal.out(`${JSON.stringify(asJson(prepared, shown), undefined, 2)}\n`);
  else if (shown.length > 0)
    await printFindings(shown, { ...terminal, err: terminal.out, paintErr: terminal.paint });
  else if (!flags.quiet) terminal.out(`${size(prepared)}: nothing to find fault with.\n`);
  if (errors.length > 0) process.exitCode = exitCodes.nothingSent;
}

/** What is not set here may be set where the pages run. */
function ofAnotherMachine(found: Finding): Finding {
  return found.code === 'os-unset' ? { ...found, severity: 'warning' } : found;
}

function asError(found: Finding): Finding {
  return { ...found, severity: 'error' };
}

function size({ plan, cases }: Prepared): string {
  return `${counted(plan.pages.length, 'page')}, ${counted(cases, 'case')}, ${counted(plan.checks, 'check')}`;
}

/** The findings for programs; lines and columns count from 1, columns in characters. */
function asJson({ plan, cases }: Prepared, findings: readonly Finding[]) {
  return {
    format: 'mervok-lint',
    version: 1,
    pages: plan.pages.length,
    cases,
    checks: plan.checks,
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
