import type { Node, YAMLMap } from 'yaml';
import { parsePath } from '../language/jsonpath/parse.ts';
import { type Code, codes, isAdjustable, SourceError } from '../model/finding.ts';
import { didYouMean } from '../text/words.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import type { LintWeight, Redaction, Written } from './level.ts';
import type { Setting, SettingReader } from './setting.ts';

// Settings of which cases there are, when they run, and what a whole run is held to.

const title: Setting = {
  key: 'title',
  reach: 'every',
  schema: ({ scalar }) => scalar,
  docs: 'the title of the collection or page',
  read(node, reader) {
    const title = reader.text(node);
    return title === undefined ? {} : { title };
  },
};

const tags: Setting = {
  key: 'tags',
  reach: 'every',
  schema: ({ z, scalar }) => z.union([scalar, z.array(scalar)]),
  hint: 'Tags are a list: tags: [booking, slow]',
  docs: 'words by which `--tag` and `--not-tag` choose cases; those of outer levels count too, `null` takes them away',
  read(node, reader) {
    const tags = readTexts(node, reader);
    for (const { text, range } of tags ?? []) {
      if (!/^[\p{L}\p{N}][\p{L}\p{N}_.:-]*$/u.test(text))
        reader.add(
          'setting-form',
          range,
          `'${text}' cannot be a tag.`,
          "Tags have letters, digits, '-', '_', '.' and ':', a letter or digit first.",
        );
    }
    return { tags: tags === null ? null : tags.map(({ text }) => text) };
  },
  merge(effective, { tags }) {
    if (tags === null) effective.tags = [];
    else if (tags.length > 0) effective.tags = [...new Set([...effective.tags, ...tags])];
  },
};

const needs: Setting = {
  key: 'needs',
  reach: 'every',
  schema: ({ z }) => z.union([z.string(), z.array(z.string())]),
  hint: 'Needs are addresses of cases, or pages: needs: [sign-in.md#sign-in]',
  docs: 'addresses of cases (`sign-in.md#sign-in`, `#sign-in` on the same page) or pages, seen from the root of the collection, that must have passed before ([flow](#flow-between-pages))',
  read: (node, reader) => ({ needs: readTexts(node, reader) }),
  merge(effective, level) {
    if (level.needs === null) effective.needs = [];
    else if (level.needs.length > 0)
      effective.needs = [...effective.needs, ...level.needs.map(needed => ({ needed, level }))];
  },
};

/** A setting that is true or false; null is false. */
function switchSetting(
  key: string,
  field: 'internal' | 'alone' | 'earlyCleanup',
  { reach, docs }: Pick<Setting, 'reach' | 'docs'>,
): Setting {
  return {
    key,
    reach,
    docs,
    schema: ({ z }) => z.boolean(),
    hint: 'It is true or false.',
    read: (node, reader) => ({ [field]: reader.isNull(node) ? null : reader.text(node) === 'true' }),
    merge(effective, level) {
      if (level[field] !== undefined) effective[field] = level[field] === true;
    },
  };
}

const internal = switchSetting('internal', 'internal', {
  reach: 'every',
  docs: '`true` for what only helps, and does not belong into documents that are handed out',
});

const alone = switchSetting('alone', 'alone', {
  reach: 'page',
  docs: 'of pages, folders and the root: `true`: while the page runs, nothing else does, no other page of `--jobs` and none of another user',
});

const earlyCleanup = switchSetting('early-cleanup', 'earlyCleanup', {
  reach: 'page',
  docs: 'of pages, folders and the root: `true`: the page is [cleaned up](#cleanup) as soon as nothing that is still to run takes from it or needs it',
});

const rows: Setting = {
  key: 'rows',
  reach: 'page',
  schema: ({ z }) => z.string(),
  hint: 'It is a table: rows: vessels.csv',
  docs: 'of pages, folders and the root: a table; each page runs once for each row of it ([rows of a page](#rows-of-a-page))',
  read: (node, reader) => ({ rows: reader.isNull(node) ? null : writtenAt(node, reader) }),
  merge(effective, level) {
    if (level.rows === null) delete effective.rows;
    else if (level.rows !== undefined) effective.rows = { table: level.rows, level };
  },
};

const order: Setting = {
  key: 'order',
  reach: 'folder',
  schema: ({ z, scalar }) => z.union([scalar, z.array(scalar)]),
  hint: 'An order is a list of pages and folders: order: [sign-in.md, berths]',
  docs: 'in a `mervok.yaml` only: pages and folders right in its folder, those that run first, in their order; what is not named follows by name',
  read: (node, reader) => ({ order: readTexts(node, reader) ?? [] }),
};

const redact: Setting = {
  key: 'redact',
  reach: 'root',
  schema: ({ z }) =>
    z.strictObject({
      headers: z.optional(z.union([z.string(), z.array(z.string())])),
      paths: z.optional(z.union([z.string(), z.array(z.string())])),
    }),
  keys: { redact: ['headers', 'paths'] },
  hint: 'It holds names of headers and paths: redact: { headers: [X-Pilot], paths: [$..phone] }',
  docs: 'at the root only: `{ headers: [X-Pilot], paths: [$..phone] }`: what is never shown, besides secrets. What the paths match in the bodies of requests and responses is masked like a secret. Authorization, Proxy-Authorization, Cookie and Set-Cookie never need it',
  read: (node, reader) => (reader.libraries.isMap(node) ? { redact: readRedaction(node, reader) } : {}),
};

function readRedaction(node: YAMLMap, reader: SettingReader): Redaction {
  const headers = readTexts(reader.node(node, 'headers'), reader) ?? [];
  const paths = readTexts(reader.node(node, 'paths'), reader) ?? [];
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

const lint: Setting = {
  key: 'lint',
  reach: 'every',
  schema: ({ z }) => z.record(z.string(), z.union([z.enum(['off', 'warning', 'error']), z.boolean()])),
  hint: 'It says what warnings weigh, by their codes: lint: { name-unused: off, check-idle: error }',
  innerHint: 'A warning is off, a warning, or an error.',
  docs: 'what [warnings](findings.md#warnings) weigh, by their codes: `{ name-unused: off, check-idle: error }`; `warning` takes back what an outer level says',
  read: (node, reader) => ({ lint: readWeights(node, reader) }),
};

function readWeights(node: Node, reader: SettingReader): ReadonlyMap<string, LintWeight> {
  const weights = new Map<string, LintWeight>();
  for (const { key, value } of reader.pairs(node)) {
    const code = reader.keyText(key);
    const range = rangeOf(key, reader.excerpt);
    const weight = reader.text(value) ?? '';
    if (!Object.hasOwn(codes, code))
      reader.add(
        'setting-unknown',
        range,
        `There is no finding '${code}'.`,
        didYouMean(code, Object.keys(codes)),
      );
    else if (!isAdjustable(code as Code) && weight !== 'error')
      reader.add(
        'setting-form',
        range,
        `'${code}' is an error: what it is about cannot be carried out, so it cannot be switched off.`,
        'Only warnings can be.',
      );
    // YAML 1.1 takes `off` and `no` for false.
    else
      weights.set(
        code,
        weight === 'error' || weight === 'warning' ? weight : weight === 'true' ? 'warning' : 'off',
      );
  }
  return weights;
}

function writtenAt(node: Node, reader: SettingReader): Written {
  return { text: reader.text(node) ?? '', range: rangeOf(node, reader.excerpt) };
}

/** One of them may stand alone. Null takes away what outer levels say; nothing adds nothing. */
function readTexts(node: Node | undefined, reader: SettingReader): Written[] | null {
  if (!node) return [];
  if (reader.isNull(node)) return null;
  if (!reader.libraries.isSeq(node)) return [writtenAt(node, reader)];
  return node.items.map(item => writtenAt(item as Node, reader));
}

export const organiseSettings: readonly Setting[] = [
  title,
  tags,
  needs,
  internal,
  alone,
  earlyCleanup,
  rows,
  order,
  redact,
  lint,
];
