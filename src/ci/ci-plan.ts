/** What a CI system is to do, as it follows from a collection. */
export interface CiPlan {
  /** Name and version of the package, as the registry knows it. */
  readonly package: string;
  /** Of the collection, from the root of the repository; nothing where it is that. */
  readonly folder: string | undefined;
  /** What is run, as on the command line: paths, an environment. */
  readonly words: readonly string[];
  /** Variables of the process environment that pages take values from. */
  readonly variables: readonly string[];
  /** Whether some values stand in a file that nobody commits. */
  readonly hasSecretFile: boolean;
  /** How many machines share the pages; one without shards. */
  readonly shards: number;
  /** Whether exchanges are held to a definition, of which it is then said how much was seen. */
  readonly hasDefinition: boolean;
  /** The share of the definition that has to be seen. */
  readonly atLeast: string | undefined;
}

/** Holds the text of `mervok.secret.yaml`, for systems that have variables alone. */
export const secretFileVariable = 'MERVOK_SECRET_YAML';

/** Where reports go, from the folder of the collection. */
export const reports = 'reports';

/** The names that a CI system has to keep as secrets. */
export function secretsOf({ variables, hasSecretFile }: CiPlan): string[] {
  return [...variables, ...(hasSecretFile ? [secretFileVariable] : [])];
}

/** Puts Mervok, and what only a machine knows, in its place. */
export function installing({ package: name, hasSecretFile }: CiPlan): string[] {
  return [
    `npm install --global ${name}`,
    ...(hasSecretFile ? [`printf '%s' "$${secretFileVariable}" > mervok.secret.yaml`] : []),
  ];
}

/** Runs everything, on one machine. */
export function running(plan: CiPlan): string[] {
  return [
    `mervok run${words(plan)} ${outputs('mervok')} -o ${reports}/mervok.ndjson`,
    ...coverage(plan, `${reports}/mervok.ndjson`),
  ];
}

/** Runs the share of one machine. @param index from 1, as its shell has it */
export function runningShare(plan: CiPlan, index: string, count: string | number): string[] {
  const name = `${reports}/shard-${index}`;
  return [`mervok run${words(plan)} --shard "${index}/${count}" -o "${name}.ndjson" -o "${name}.xml"`];
}

/** Makes one verdict and one report of all shares. */
export function merging(plan: CiPlan): string[] {
  const records = `${reports}/shard-*.ndjson`;
  return [`mervok report --merge --verdict ${records} ${outputs('mervok')}`, ...coverage(plan, records)];
}

/** Of a share, whose failure is no failure of its machine: the verdict is that of all of them. */
export function unfailing(lines: readonly string[]): string[] {
  return lines.map(line => `${line} || [ $? -eq 1 ]`);
}

/** From the root of the repository. */
export function pathIn({ folder }: CiPlan, path: string): string {
  return folder === undefined ? path : `${folder}/${path}`;
}

/** Into the folder of the collection. */
export function entering({ folder }: CiPlan): string[] {
  return folder === undefined ? [] : [`cd ${quoted(folder)}`];
}

function words({ words: all }: CiPlan): string {
  return all.map(each => ` ${quoted(each)}`).join('');
}

function outputs(name: string): string {
  return ['html', 'xml', 'md'].map(ending => `-o ${reports}/${name}.${ending}`).join(' ');
}

function coverage({ hasDefinition, atLeast }: CiPlan, records: string): string[] {
  if (!hasDefinition) return [];
  const bound = atLeast === undefined ? '' : ` --at-least ${quoted(atLeast)}`;
  return [`mervok coverage ${records} -o ${reports}/coverage.html${bound}`];
}

/** As a shell has it. */
function quoted(word: string): string {
  return /^[\w./@:=,%+-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\\''")}'`;
}
