import type { EndedLoad } from '../core/model/load-events.ts';
import { counted, grouped } from '../core/text/words.ts';
import { timeText } from './time-text.ts';

/** What has to be known beside the figures of a load, as sentences. */
export function loadSentences({ rounds, badInWarmUp = 0, ownLimit }: EndedLoad): string[] {
  const { due = 0, late = 0, dropped = 0, cutOff = 0, lateness } = rounds;
  const sentences: string[] = [];
  if (late > 0)
    sentences.push(
      `Of ${counted(due, 'round')} that ${due === 1 ? 'was' : 'were'} due ${grouped(late)} began late, up to ${timeText(lateness?.max ?? 0)}.`,
    );
  if (dropped > 0)
    sentences.push(
      `${counted(dropped, 'round')} that ${dropped === 1 ? 'was' : 'were'} due never began: all users were busy.`,
    );
  if (cutOff > 0)
    sentences.push(`${counted(cutOff, 'round')} ${cutOff === 1 ? 'was' : 'were'} cut off at the end.`);
  if (badInWarmUp > 0)
    sentences.push(`In the warm-up, which does not count, ${counted(badInWarmUp, 'case')} did not pass.`);
  if (ownLimit) {
    const { percent, told, without } = ownLimit;
    const what = percent === 50 ? 'half of the answers' : `${percent} of 100 answers`;
    sentences.push(
      `Mervok itself was the limit: ${what} are told as ${timeText(told)} or less, and without its own delays it would be ${timeText(without)}.`,
    );
  }
  return sentences;
}
