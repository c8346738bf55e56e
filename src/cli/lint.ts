import { counted } from '../core/text/nearest.ts';
import { exitCodes } from './exit.ts';
import { type PlanFlags, preparePlan, printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export async function lintCommand(
  paths: readonly string[],
  flags: PlanFlags & { quiet?: boolean },
  terminal: Terminal,
): Promise<void> {
  const { plan, findings, cases } = await preparePlan(paths, flags);
  const shown = flags.quiet ? findings.filter(each => each.severity === 'error') : findings;
  if (shown.length > 0)
    await printFindings(shown, { ...terminal, err: terminal.out, paintErr: terminal.paint });
  else if (!flags.quiet)
    terminal.out(
      `${counted(plan.pages.length, 'page')}, ${counted(cases, 'case')}, ${counted(plan.checks, 'check')}: nothing to find fault with.\n`,
    );
  if (findings.some(each => each.severity === 'error')) process.exitCode = exitCodes.nothingSent;
}
