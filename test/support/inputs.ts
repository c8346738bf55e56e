import { readFileSync } from 'node:fs';

const linesOf = (path: string) =>
  readFileSync(path, 'utf8')
    .replace(/\n$/, '')
    .split('\n')
    .map(line => line.replaceAll('⏎', '\n').replaceAll('␍', '\r'));

/** The lines of a file in `test/inputs`: what tests try out where there is much of it. ⏎ and ␍ stand for line ends. */
export function inputs(name: string): readonly string[] {
  return linesOf(`test/inputs/${name}.txt`);
}

/** Rows below a line that begins with `§ `; a file may begin without one. */
export interface Section {
  readonly title: string;
  readonly rows: readonly (readonly string[])[];
}

/**
 * A file in `test/tables`: what goes in and what has to come out, in columns that `  ->  ` parts. Line ends in a
 * cell are written ⏎ and ␍. A section without rows is a mistake of the file.
 */
export function table(name: string): readonly Section[] {
  const sections: { title: string; rows: string[][] }[] = [];
  for (const line of linesOf(`test/tables/${name}.txt`)) {
    if (line.startsWith('§ ')) sections.push({ title: line.slice(2), rows: [] });
    else if (line !== '') {
      if (sections.length === 0) sections.push({ title: name, rows: [] });
      sections.at(-1)!.rows.push(line.split('  ->  '));
    }
  }
  if (sections.some(({ rows }) => rows.length === 0)) throw new Error(`A section of ${name} has no rows.`);
  return sections;
}
