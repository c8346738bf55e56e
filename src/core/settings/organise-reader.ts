import type { Node, YAMLMap } from 'yaml';
import { parseBound } from '../language/bounds.ts';
import { parsePath } from '../language/jsonpath/parse.ts';
import { SourceError } from '../model/finding.ts';
import type { Level, Redaction, Written } from './level.ts';
import { rangeOf, type YamlReader } from './yaml-reader.ts';

type Organisation = Pick<
  Level,
  'tags' | 'needs' | 'internal' | 'rows' | 'order' | 'redact' | 'bounds' | 'apdex'
>;

/** Reads the settings that are about which cases there are and when they run. Their form is checked already. */
export function readOrganisation(reader: YamlReader, root: YAMLMap): Organisation {
  const internal = reader.node(root, 'internal');
  const rows = reader.node(root, 'rows');
  const order = reader.node(root, 'order');
  const redact = reader.node(root, 'redact');
  const bounds = reader.node(root, 'bounds');
  const apdex = reader.node(root, 'apdex');
  const threshold = apdex && !isNull(reader, apdex) ? reader.duration(apdex) : undefined;
  return {
    tags: readTags(reader, root),
    needs: readTexts(reader, reader.node(root, 'needs')),
    ...(internal && { internal: isNull(reader, internal) ? null : reader.text(internal) === 'true' }),
    ...(rows && { rows: isNull(reader, rows) ? null : writtenAt(reader, rows) }),
    ...(order && { order: readTexts(reader, order) ?? [] }),
    ...(redact && reader.libraries.isMap(redact) && { redact: readRedaction(reader, redact) }),
    ...(bounds && !isNull(reader, bounds) && { bounds: readBounds(reader, bounds) }),
    ...(threshold !== undefined && { apdex: threshold }),
  };
}

function isNull(reader: YamlReader, node: Node): boolean {
  return reader.libraries.isScalar(node) && node.value === null;
}

function writtenAt(reader: YamlReader, node: Node): Written {
  return { text: reader.text(node) ?? '', range: rangeOf(node, reader.excerpt) };
}

/** Null takes away what outer levels say; nothing adds nothing. */
function readTexts(reader: YamlReader, node: Node | undefined): Written[] | null {
  if (!node) return [];
  if (!reader.libraries.isSeq(node)) return null;
  return node.items.map(item => writtenAt(reader, item as Node));
}

function readTags(reader: YamlReader, root: YAMLMap): string[] | null {
  const tags = readTexts(reader, reader.node(root, 'tags'));
  for (const { text, range } of tags ?? []) {
    if (!/^[\p{L}\p{N}][\p{L}\p{N}_.:-]*$/u.test(text))
      reader.add(
        'setting-form',
        range,
        `'${text}' cannot be a tag.`,
        "Tags have letters, digits, '-', '_', '.' and ':', a letter or digit first.",
      );
  }
  return tags === null ? null : tags.map(({ text }) => text);
}

function readRedaction(reader: YamlReader, node: YAMLMap): Redaction {
  const headers = readTexts(reader, reader.node(node, 'headers')) ?? [];
  const paths = readTexts(reader, reader.node(node, 'paths')) ?? [];
  return {
    headers: headers.map(({ text }) => text.toLowerCase()),
    paths: paths.flatMap(({ text, range }) => {
      try {
        const read = text.startsWith('$') ? parsePath(text, 0) : undefined;
        if (read?.end === text.length) return read.path;
      } catch (error) {
        if (!(error instanceof SourceError)) throw error;
      }
      reader.add('path-form', range, `'${text}' is no path.`, 'For example: $.captain.phone, or $..phone');
      return [];
    }),
  };
}

/** One a line; what stands behind `#` is a comment. */
function readBounds(reader: YamlReader, node: Node): Written[] {
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
