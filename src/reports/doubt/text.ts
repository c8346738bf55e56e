import { counted, inWords } from '../../core/text/words.ts';
import { type Measure, type Paint, visible, wrap } from '../style.ts';
import {
  type CaseDigest,
  type DoubtDigest,
  hasGaps,
  noticedInWords,
  type RequestDigest,
  verdictInWords,
} from './digest.ts';

interface View {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** For people: by case what went unnoticed, each with the check that would notice it; then the sentence. */
export function doubtText(digest: DoubtDigest, view: View): string[] {
  const { paint, measure, width } = view;
  const open = digest.cases.filter(hasSomethingToTell);
  const lines = open.flatMap(each => [...caseLines(each, view), '']);
  const quiet = digest.cases.length - open.length;
  if (quiet > 0)
    lines.push(paint('quiet', `In ${counted(quiet, 'case')} all is noticed that a check could notice.`), '');
  for (const [reason, cases] of byReason(digest.leftOut))
    lines.push(...beside(0, 'left out', `${cases}: ${reason}.`, view).map(line => paint('quiet', line)));
  if (digest.leftOut.length > 0) lines.push('');
  lines.push(...wrap(verdictInWords(digest), width, measure).map(line => paint('strong', line)));
  return lines;
}

function hasSomethingToTell(each: CaseDigest): boolean {
  return each.leftOut.length > 0 || hasGaps(each);
}

function caseLines(each: CaseDigest, view: View): string[] {
  const { paint } = view;
  return [
    `${paint('strong', visible(each.title))}  ${paint('quiet', each.case)}`,
    `  ${each.countable === 0 ? 'There is nothing to change that a check could notice' : noticedInWords(each)}.`,
    ...each.requests
      .filter(({ unnoticed, brittle }) => unnoticed.length + brittle.length > 0)
      .flatMap(request => requestLines(request, view)),
    ...each.leftOut.flatMap(({ step, place, reason }) =>
      beside(2, 'left out', `${step} (${place}): ${reason}.`, view).map(line => paint('quiet', line)),
    ),
  ];
}

function requestLines(
  { request, place, unnoticed, brittle, tried, possible }: RequestDigest,
  view: View,
): string[] {
  const { paint } = view;
  const sampled = tried < possible ? paint('quiet', `, ${tried} of ${possible} changes tried`) : '';
  return [
    '',
    `  ${visible(request)}  ${paint('quiet', place)}${sampled}`,
    ...unnoticed.flatMap(({ at, changes, checks }) => [
      ...beside(4, 'unnoticed', `${at}: ${changes.join('; ')}`, view),
      ...checks.flatMap(check => beside(4, 'add', check, view)),
    ]),
    ...brittle.flatMap(({ check, place: where, at }) =>
      beside(4, 'brittle', `${check} (${where}): it fails where something is added to ${at}`, view),
    ),
  ];
}

/** So many cases are named that are left out for the same reason. */
const mostNamed = 4;

function byReason(leftOut: DoubtDigest['leftOut']): [reason: string, cases: string][] {
  const reasons = new Map<string, string[]>();
  for (const { case: address, reason } of leftOut) {
    const same = reasons.get(reason) ?? [];
    reasons.set(reason, same);
    same.push(address);
  }
  return [...reasons].map(([reason, cases]) => {
    const more = cases.length - mostNamed;
    const named = more > 0 ? [...cases.slice(0, mostNamed), counted(more, 'other case')] : cases;
    return [reason, inWords(named)];
  });
}

/** A word at the left edge, and behind it a text that goes on below its own beginning. */
function beside(indent: number, word: string, text: string, { measure, width }: View): string[] {
  const column = indent + 11;
  const [first = '', ...rest] = wrap(visible(text), Math.max(20, width - column), measure);
  return [`${' '.repeat(indent)}${word.padEnd(11)}${first}`, ...rest.map(line => ' '.repeat(column) + line)];
}
