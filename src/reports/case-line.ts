import type { CaseEvent } from '../core/model/events.ts';
import { durationText } from '../core/values/text.ts';
import { titleOf } from './cases.ts';
import { indent } from './failure-text.ts';
import { fit, type Role, visible } from './style.ts';
import type { TerminalOptions } from './terminal-options.ts';

const roles: { [outcome in CaseEvent['outcome']]: Role } = {
  passed: 'plain',
  failed: 'failed',
  error: 'error',
  blocked: 'quiet',
  skipped: 'quiet',
};

/** A case in a line: its outcome and title, what it sent, and what came of it. */
export function caseLine(
  event: CaseEvent,
  { paint, measure, width }: Pick<TerminalOptions, 'paint' | 'measure' | 'width'>,
): string {
  const { outcome, request = '', status, time } = event;
  const inner = width - indent.length - 16;
  const withRequest = inner >= 50;
  const titleWidth = withRequest ? Math.min(44, Math.floor(inner * 0.45)) : inner;
  const title = fit(visible(titleOf(event)), titleWidth, measure);
  const asked = withRequest
    ? `  ${paint('quiet', fit(visible(request), inner - titleWidth - 2, measure))}`
    : '';
  const figures = `  ${String(status ?? '').padStart(3)}  ${durationText(time).padStart(8)}`;
  return `${paint(roles[outcome], outcome.padEnd(8))} ${title}${asked}${figures.padStart(16)}`;
}
