import { visible } from '../style.ts';
import { type DoubtDigest, hasGaps, noticedInWords, verdictInWords } from './digest.ts';

/** For the page of a review. */
export function doubtMarkdown(digest: DoubtDigest, title: string): string[] {
  const lines = [`## ${text(title)}: would its checks notice?`, '', `**${text(verdictInWords(digest))}**`];
  for (const { title: name, case: address, requests, ...counts } of digest.cases.filter(hasGaps)) {
    lines.push('', `### ${text(name)}`, '', `${code(address)}: ${noticedInWords(counts)}.`);
    for (const { request, place, unnoticed, brittle } of requests) {
      if (unnoticed.length + brittle.length > 0) lines.push('', `${code(request)} (${place})`, '');
      for (const { at, changes } of unnoticed) lines.push(`- ${code(at)} ${text(changes.join('; '))}`);
      for (const { check, place: where, at } of brittle)
        lines.push(
          `- ${code(check)} (${where}) is brittle: it fails where something is added to ${code(at)}`,
        );
      const checks = [...new Set(unnoticed.flatMap(each => each.checks))];
      if (checks.length > 0) lines.push('', '~~~mervok', ...checks, '~~~');
    }
  }
  return lines;
}

function code(written: string): string {
  return `\`${visible(written).replaceAll('`', "'")}\``;
}

function text(written: string): string {
  return visible(written)
    .replaceAll('\n', ' ')
    .replace(/[\\|<>*_`[\]]/g, '\\$&');
}
