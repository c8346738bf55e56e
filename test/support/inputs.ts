import { readFileSync } from 'node:fs';

/** The lines of a file in `test/inputs`: what tests try out where there is much of it. */
export function inputs(name: string): readonly string[] {
  return readFileSync(`test/inputs/${name}.txt`, 'utf8').trimEnd().split('\n');
}
