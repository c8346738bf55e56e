// What people bring from other notations, and how it is said here. It is looked at only where a statement cannot be read.

import type { Unread } from '../../model/finding.ts';
import { places, values, within } from './places.ts';
import type { Row } from './row.ts';
import { guesses, statements } from './statements.ts';

/**
 * What mends a statement that may be written as another notation has it.
 * @param known what was said of it already
 */
export function remedyOf(unread: Unread, known: string | undefined): string | undefined {
  const isNear = known?.startsWith('Did you mean') === true;
  return remedyFor(unread) ?? (isNear ? undefined : guessFor(unread)) ?? known;
}

/** What mends a statement that is written as another notation has it; nothing where none is known. */
function remedyFor({ statement, rest, atStart }: Unread): string | undefined {
  const before = statement.slice(0, statement.length - rest.length);
  const wantsValue = /[=<>]\s*$/.test(before);
  if (!atStart) {
    const bare = /^file\s+([^\s"']+)/.exec(rest)?.[1];
    if (bare !== undefined) return `The path of a file stands in quotes: file "${bare}"`;
    if (wantsValue && /^(?:nil|none|undefined|nan)\b/i.test(rest))
      return `Write 'null'; for what is not there: ${before.replace(/\s*[=!<>]+\s*$/, '')} absent`;
    const [, low, value, high] =
      (/^<=?/.test(rest) && /^([^<>=]+?)\s*<=?\s*([^<>=]+?)\s*<=?\s*([^<>=]+?)\s*$/.exec(statement)) || [];
    if (low !== undefined) return `Write: ${value} between ${low} and ${high}; both ends are included.`;
    if (/^=\s*true\b/.test(rest) && /\b(?:exists|absent|empty|unique|sorted|down)\s+$/.test(before))
      return 'A condition stands alone, without a comparison behind it.';
    if (/^,/.test(rest) && /\bbetween\s+\S+\s*$/.test(before))
      return `Write 'and': between 1 and 2; both ends are included.`;
  }
  const placed = atStart
    ? undefined
    : (foundWithin(before, rest) ?? (wantsValue ? found(values, rest) : foundBehind(before, rest)));
  return placed ?? found(statements, statement);
}

/** The same where a word that is nearly the same is known here. */
function guessFor({ statement }: Unread): string | undefined {
  return found(guesses, statement);
}

function foundWithin(before: string, rest: string): string | undefined {
  for (const [ahead, pattern, says] of within) {
    const match = ahead.test(before) && rest.match(pattern);
    if (match) return typeof says === 'string' ? says : says(match);
  }
  return undefined;
}

function foundBehind(before: string, rest: string): string | undefined {
  if (!/\bnot\s+$/.test(before)) return found(places, rest);
  const says = found(places, `not ${rest}`) ?? found(places, rest);
  return says && /^Write '[<>]/.test(says) ? `${says} 'not' stands before the whole condition.` : says;
}

function found(rows: readonly Row[], text: string): string | undefined {
  for (const [pattern, says] of rows) {
    const match = text.match(pattern);
    if (match) return typeof says === 'string' ? says : says(match);
  }
  return undefined;
}
