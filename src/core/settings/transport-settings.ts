import type { Node, YAMLMap } from 'yaml';
import type { Template } from '../language/templates/template.ts';
import { SourceError } from '../model/finding.ts';
import { faultWords } from '../model/http-messages.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { rangeOf, type YamlReader } from '../yaml/yaml-reader.ts';
import type { EffectiveDraft } from './effective.ts';
import type { Setting, SettingReader } from './setting.ts';
import {
  defaultTransport,
  type Limits,
  type Retry,
  type Timeout,
  type TlsSetting,
  type Transport,
  type TransportSettings,
  tlsFiles,
} from './transport.ts';
import type { VariableDefinition } from './variable-definition.ts';
import { VariableReader } from './variable-reader.ts';

// Settings of how requests go out, and of what is accepted in return.

/** All of them are read into one part of a level, where null takes a setting back to what holds where nobody says anything. */
function transportSetting<Key extends keyof Transport>(
  key: Key,
  {
    read,
    ...setting
  }: Pick<Setting, 'schema' | 'hint' | 'innerHint' | 'docs' | 'keys'> & {
    readonly read: (node: Node, reader: SettingReader) => Transport[Key] | undefined;
  },
): Setting {
  return {
    ...setting,
    key,
    reach: 'every',
    read(node, reader) {
      const value = reader.isNull(node) ? null : read(node, reader);
      const transport: TransportSettings = value === undefined ? {} : { [key]: value };
      return { transport };
    },
    merge(effective, { transport }) {
      if (transport[key] !== undefined) put(effective, key, transport[key]);
    },
  };
}

function put<Key extends keyof Transport>(
  effective: EffectiveDraft,
  key: Key,
  setting: Transport[Key] | null,
): void {
  const { [key]: _before, ...rest } = effective.transport;
  const value = setting ?? defaultTransport[key];
  effective.transport = (value === undefined ? rest : { ...rest, [key]: value }) as Transport;
}

const timeout = transportSetting('timeout', {
  schema: ({ z, amount }) =>
    z.union([
      amount,
      z.strictObject({
        connect: z.optional(amount),
        answer: z.optional(amount),
        total: z.optional(amount),
      }),
    ]),
  keys: { timeout: ['connect', 'answer', 'total'] },
  hint: 'A timeout is a duration, 5 s, or { connect, answer, total }.',
  docs: '`5 s`, or `{ connect: 1 s, answer: 2 s, total: 10 s }`; 30 s in total if nothing is set',
  read: readTimeout,
});

function readTimeout(node: Node, reader: YamlReader): Timeout | undefined {
  if (!reader.libraries.isMap(node)) {
    const total = reader.duration(node);
    return total === undefined ? undefined : { total };
  }
  const parts = reader.pairs(node).flatMap(({ key, value }) => {
    const milliseconds = reader.duration(value);
    return milliseconds === undefined ? [] : [[reader.keyText(key), milliseconds] as const];
  });
  return Object.fromEntries(parts);
}

const redirects = transportSetting('redirects', {
  schema: ({ z }) => z.int().check(z.minimum(0), z.maximum(100)),
  hint: 'It is the number of redirects to follow, from 0 to 100.',
  docs: 'how many are followed; 5 if nothing is set, 0 for none. Checks see the last response',
  read: (node, reader) => Number(reader.text(node)),
});

const cookies = transportSetting('cookies', {
  schema: ({ z }) => z.boolean(),
  hint: 'It is true or false.',
  docs: '`false`: none are taken in or sent back',
  read: (node, reader) => reader.text(node) === 'true',
});

const tlsParts = [...tlsFiles, 'passphrase'] as const;

const tlsForms = transportSetting('tls', {
  schema: ({ z }) =>
    z.strictObject({
      ...Object.fromEntries(
        tlsParts.map(key => [key, z.optional(z.union([z.string(), z.record(z.string(), z.unknown())]))]),
      ),
      verify: z.optional(z.boolean()),
    }),
  keys: { tls: [...tlsParts, 'verify'] },
  hint: 'It holds files and a switch: tls: { ca: authority.pem, verify: true }',
  innerHint: 'It is a text, or says where it is found: { os: HARBOUR_CERT }.',
  docs: '`{ ca, cert, key, pkcs12, passphrase, verify }`: an authority trusted besides the usual ones; a client certificate and its key, or both in one PKCS #12 file, and the passphrase of the key, which is secret (files are relative to the file that names them, and may lie anywhere); `verify: false` to look at no certificate, which is warned of. Each may refer to names, or say where it is found as a variable does: `passphrase: { os: HARBOUR_PASSPHRASE }`',
  read: (node, reader) => readTls(reader, node as YAMLMap),
});

const tls: Setting = {
  ...tlsForms,
  merge(effective, level) {
    if (level.transport.tls !== undefined) effective.tlsLevel = level;
    tlsForms.merge!(effective, level);
  },
  read: (node, reader) => ({
    ...tlsForms.read(node, reader),
    tlsRange: rangeOf(node, reader.excerpt),
    foundFor: reader.libraries.isMap(node) ? foundElsewhere(node, reader) : new Map(),
  }),
};

/** What says where it is found is a variable without a name that anybody could write. */
function foundElsewhere(node: YAMLMap, reader: SettingReader): Map<string, VariableDefinition> {
  const found = new Map<string, VariableDefinition>();
  for (const key of tlsParts) {
    const value = reader.node(node, key);
    if (!reader.libraries.isMap(value)) continue;
    const name = `tls ${key}`;
    try {
      const read = new VariableReader(reader, `from ${reader.name}`, key === 'passphrase').read(name, value);
      found.set(name, { ...read, range: rangeOf(value, reader.excerpt) });
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      reader.addError(error);
    }
  }
  return found;
}

/** Paths are relative to the file that they are written in. */
function readTls(reader: YamlReader, node: YAMLMap): TlsSetting {
  const parts: { [key: string]: Template } = {};
  for (const key of tlsParts) {
    const value = reader.node(node, key);
    if (!value) continue;
    const range = rangeOf(value, reader.excerpt);
    parts[key] = reader.libraries.isMap(value)
      ? {
          parts: [
            {
              reference: { type: 'reference', name: `tls ${key}`, path: [], raw: false, range },
              place: 'text',
            },
          ],
        }
      : reader.template(value, 'credentials');
  }
  const wrong =
    parts.pkcs12 && (parts.cert || parts.key)
      ? "A PKCS #12 file holds both: beside 'pkcs12' stand neither 'cert' nor 'key'."
      : (parts.cert === undefined) !== (parts.key === undefined)
        ? "A client certificate and its key come together: 'cert' and 'key'."
        : parts.passphrase && !parts.key && !parts.pkcs12
          ? "A passphrase is that of a key: beside it stands 'key' or 'pkcs12'."
          : undefined;
  if (wrong !== undefined) reader.add('setting-form', rangeOf(node, reader.excerpt), wrong);
  return {
    parts,
    verify: reader.scalarText(node, 'verify') !== 'false',
    filled: new Map(),
    pathBeside: path => reader.pathBeside(path),
  };
}

const proxyForms = transportSetting('proxy', {
  schema: ({ z }) => z.string(),
  hint: 'A proxy is a URL, or none: proxy: http://proxy.skerry.example:3128',
  docs: 'its URL, with user and password if it wants them; `none` switches off the one of the process environment too (`HTTP_PROXY`, `HTTPS_PROXY`, `ALL_PROXY`, `NO_PROXY`)',
  read(node, reader) {
    const text = reader.text(node) ?? '';
    if (text === 'none') return 'none';
    if (!/^(?:https?:\/\/|\{)/i.test(text))
      reader.add(
        'setting-form',
        rangeOf(node, reader.excerpt),
        'A proxy is the URL that it answers at.',
        `Write proxy: http://${text.replace(/^[\w+-]*:\/\//, '')}`,
      );
    return reader.template(node, 'address');
  },
});

const proxy: Setting = {
  ...proxyForms,
  merge(effective, level) {
    if (level.transport.proxy !== undefined) effective.proxyLevel = level;
    proxyForms.merge!(effective, level);
  },
};

const http = transportSetting('http', {
  schema: ({ z }) => z.union([z.literal(1.1), z.literal(2)]),
  hint: 'It is the version of HTTP: 1.1 or 2.',
  docs: '`1.1` or `2`: the one version that is spoken; where it is 2 and the address begins with `http://`, from the first byte on. Without it HTTP/2 where a server offers it over TLS, else HTTP/1.1',
  read: (node, reader) => (reader.text(node) === '2' ? '2' : '1.1'),
});

const retry = transportSetting('retry', {
  schema: ({ z, amount }) =>
    z.union([
      z.literal('none'),
      z.strictObject({
        times: z.optional(z.int().check(z.minimum(0), z.maximum(100))),
        every: z.optional(amount),
        on: z.optional(z.array(amount)),
      }),
    ]),
  keys: { retry: ['times', 'every', 'on'] },
  hint: 'For example: retry: { times: 2, every: 500 ms, on: [refused, 5xx] }',
  docs: '`{ times: 2, every: 500 ms, on: [refused, timeout, reset, 5xx, 429] }`, which are also what a part left out stands for ([below](#faults-and-retries)); `none` sends nothing twice',
  read: (node, reader) =>
    reader.libraries.isMap(node) ? readRetry(reader, node, reader.kind === 'case') : 'none',
});

function readRetry(reader: YamlReader, node: YAMLMap, anyMethod: boolean): Retry {
  const on = reader.node(node, 'on');
  const items = reader.libraries.isSeq(on) ? (on.items as Node[]) : [];
  for (const item of items) {
    const word = reader.text(item) ?? '';
    if (isRetried(word)) continue;
    reader.add(
      'setting-form',
      rangeOf(item, reader.excerpt),
      `'${word}' is no fault and no status to try again after.`,
      didYouMean(word, faultWords) ?? `There are ${inWords(faultWords)}, and statuses such as 5xx and 429.`,
    );
  }
  return {
    times: Number(reader.scalarText(node, 'times') ?? 2),
    every: reader.duration(reader.node(node, 'every')) ?? 500,
    on: on ? items.map(item => reader.text(item) ?? '') : ['refused', 'timeout', 'reset', '5xx', '429'],
    anyMethod,
  };
}

function isRetried(word: string): boolean {
  return (faultWords as readonly string[]).includes(word) || /^[1-5](?:xx|\d\d)$/.test(word);
}

const limits = transportSetting('limits', {
  schema: ({ z, amount }) =>
    z.strictObject({
      body: z.optional(amount),
      record: z.optional(amount),
      head: z.optional(amount),
      output: z.optional(amount),
      rows: z.optional(z.int().check(z.minimum(1), z.maximum(10_000_000))),
      script: z.optional(z.strictObject({ time: z.optional(amount), memory: z.optional(amount) })),
    }),
  keys: {
    limits: ['body', 'record', 'head', 'output', 'rows', 'script'],
    'limits.script': ['time', 'memory'],
  },
  hint: 'Limits are sizes: limits: { body: 10 MiB }',
  docs: '`{ body: 10 MiB, record: 64 KiB, head: 64 KiB, output: 1 MiB, rows: 10000, script: { time: 1 s, memory: 64 MiB } }`: what is accepted of a body (as it comes, and again once it is decoded), what the record keeps of it, what is accepted of the head of a response, of what a command puts out, how many rows of a query, and what a script may take',
  read(node, reader) {
    const limit = (key: keyof Omit<Limits, 'script' | 'rows'>) =>
      reader.size(reader.node(node as YAMLMap, key)) ?? defaultTransport.limits[key];
    return {
      body: limit('body'),
      record: limit('record'),
      head: limit('head'),
      output: limit('output'),
      rows: Number(reader.scalarText(node as YAMLMap, 'rows') ?? defaultTransport.limits.rows),
      script: readScriptLimits(reader, reader.node(node as YAMLMap, 'script')),
    };
  },
});

function readScriptLimits(reader: SettingReader, node: Node | undefined): Limits['script'] {
  const { time, memory } = defaultTransport.limits.script;
  if (!reader.libraries.isMap(node)) return { time, memory };
  return {
    time: reader.duration(reader.node(node, 'time')) ?? time,
    memory: reader.size(reader.node(node, 'memory')) ?? memory,
  };
}

export const transportSettings: readonly Setting[] = [
  timeout,
  redirects,
  cookies,
  tls,
  http,
  proxy,
  retry,
  limits,
];
