import type { Node } from 'yaml';
import { parseBound } from '../language/bounds.ts';
import { parseLoad } from '../language/load/parse-load.ts';
import { SourceError } from '../model/finding.ts';
import type { Level, Written } from './level.ts';
import type { Setting, SettingReader } from './setting.ts';

// What a run as a whole is to do, and what it is held to.

const bounds: Setting = {
  key: 'bounds',
  reach: 'root',
  schema: ({ z }) => z.string(),
  hint: 'Bounds are limits, one a line, behind bounds: |',
  docs: 'at the root only: limits on a whole run, one a line ([below](#bounds))',
  read: (node, reader) => (reader.isNull(node) ? {} : { bounds: readBounds(node, reader) }),
};

/** One a line; what stands behind `#` is a comment. */
function readBounds(node: Node, reader: SettingReader): Written[] {
  const lines = reader.lines(node);
  let start = 0;
  return lines.text.split('\n').flatMap(line => {
    const text = line.replace(/(?:^|\s)#.*$/, '').trim();
    const from = start + line.indexOf(text);
    start += line.length + 1;
    if (text === '') return [];
    try {
      parseBound(text);
      return [{ text, range: lines.range(from, from + text.length) }];
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      const { range, message, remedy } = error;
      reader.add('bound-form', lines.range(from + range.start, from + range.end), message, remedy);
      return [];
    }
  });
}

const apdex: Setting = {
  key: 'apdex',
  reach: 'root',
  schema: ({ amount }) => amount,
  hint: 'It is the time within which an answer satisfies: apdex: 300 ms',
  docs: 'at the root only: the time within which an answer satisfies, for Apdex; 500 ms if nothing is set',
  read(node, reader) {
    const apdex = reader.isNull(node) ? undefined : reader.duration(node);
    return apdex === undefined ? {} : { apdex };
  },
};

const load: Setting = {
  key: 'load',
  reach: 'root',
  schema: ({ z }) => z.string(),
  hint: 'A load is written in lines, behind load: |',
  docs: 'at the root only: what `mervok run --load` does, one phase a line ([below](#load))',
  read: (node, reader) => (reader.isNull(node) ? {} : readLoad(node, reader)),
};

function readLoad(node: Node, reader: SettingReader): Pick<Level, 'load'> {
  const lines = reader.lines(node);
  const { load, errors } = parseLoad(lines.text);
  for (const { code, range, message, remedy } of errors)
    reader.add(code, lines.range(range.start, range.end), message, remedy);
  if (!load) return {};
  const { rows, stops } = load;
  return {
    load: {
      ...load,
      ...(rows && { rows: { ...rows, range: lines.range(rows.range.start, rows.range.end) } }),
      stops: stops.map(each => ({ ...each, range: lines.range(each.range.start, each.range.end) })),
    },
  };
}

export const runSettings: readonly Setting[] = [bounds, apdex, load];
