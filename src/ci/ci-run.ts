import { relative } from 'node:path';

/** A failure, and where it is. */
export interface Annotation {
  /** Absolute. */
  readonly file: string;
  readonly line: number;
  readonly title: string;
  readonly message: string;
}

/** A CI system that this program runs in. */
export interface CiRun {
  readonly system: string;
  /** A line by which it shows a failure at its place; nothing where it has none. */
  annotation?(failure: Annotation): string;
  /** A file that it shows what is appended to as a summary. */
  readonly summaryFile?: string;
  /** A line by which it takes a file as a summary. */
  summary?(path: string): string;
}

type Environment = { readonly [name: string]: string | undefined };

/** The CI system that the environment of the process tells of. */
export function ciAround(environment: Environment): CiRun | undefined {
  if (environment.GITHUB_ACTIONS === 'true') return github(environment);
  if (environment.TF_BUILD !== undefined) return azure(environment);
  if (environment.TEAMCITY_VERSION !== undefined) return teamcity(environment);
  const known = others.find(([name]) => environment[name] !== undefined);
  return known && { system: known[1] };
}

/** Those that know no line by which a failure is shown at its place. */
const others: readonly (readonly [variable: string, system: string])[] = [
  ['GITLAB_CI', 'gitlab'],
  ['CIRCLECI', 'circleci'],
  ['BITBUCKET_BUILD_NUMBER', 'bitbucket'],
  ['BUILDKITE', 'buildkite'],
  ['JENKINS_URL', 'jenkins'],
  ['CI', 'another'],
];

function github({ GITHUB_WORKSPACE, GITHUB_STEP_SUMMARY }: Environment): CiRun {
  const value = (text: string) => text.replaceAll('%', '%25').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
  const property = (text: string) => value(text).replaceAll(':', '%3A').replaceAll(',', '%2C');
  return {
    system: 'github',
    annotation: ({ file, line, title, message }) =>
      `::error file=${property(pathFrom(GITHUB_WORKSPACE, file))},line=${line},title=${property(title)}::${value(message)}`,
    ...(GITHUB_STEP_SUMMARY !== undefined &&
      GITHUB_STEP_SUMMARY !== '' && { summaryFile: GITHUB_STEP_SUMMARY }),
  };
}

function azure({ BUILD_SOURCESDIRECTORY }: Environment): CiRun {
  const value = (text: string) =>
    text.replaceAll('%', '%AZP25').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
  const property = (text: string) => value(text).replaceAll(';', '%3B').replaceAll(']', '%5D');
  return {
    system: 'azure',
    annotation: ({ file, line, title, message }) =>
      `##vso[task.logissue type=error;sourcepath=${property(pathFrom(BUILD_SOURCESDIRECTORY, file))};linenumber=${line}]${value(`${title}: ${message}`)}`,
    summary: path => `##vso[task.uploadsummary]${value(path)}`,
  };
}

function teamcity({ TEAMCITY_BUILD_CHECKOUTDIR }: Environment): CiRun {
  const value = (text: string) =>
    text
      .replace(/[|'[\]]/g, '|$&')
      .replaceAll('\n', '|n')
      .replaceAll('\r', '|r')
      .replace(/[^\u0000-\u007f]/g, char => `|0x${char.charCodeAt(0).toString(16).padStart(4, '0')}`);
  return {
    system: 'teamcity',
    annotation: ({ file, line, title, message }) =>
      `##teamcity[message text='${value(`${pathFrom(TEAMCITY_BUILD_CHECKOUTDIR, file)}:${line}: ${title}: ${message}`)}' status='ERROR']`,
  };
}

/** As the system names a file: from where it has put the repository. */
function pathFrom(root: string | undefined, file: string): string {
  const way = root === undefined ? file : relative(root, file);
  return (way.startsWith('..') ? file : way).replaceAll('\\', '/');
}

/**
 * A text that holds no command of a CI system, wherever its lines begin: some look for them behind white space, and some in
 * the middle of a line. Commands are broken by a space.
 */
export function withoutCommands(text: string): string {
  return text
    .replace(/##(?=\[|vso\[|teamcity\[)/gi, '# #')
    .replace(/^([ \t]*)::/gm, '$1: :')
    .replace(/^(---|\+\+\+|~~~|\^\^\^)(?= )/gm, ' $1')
    .replace(/^(section_(?:start|end)|travis_fold|travis_time):/gm, '$1 :');
}

/** The same for JSON, whose texts stay what they are. */
export function jsonWithoutCommands(text: string): string {
  return text.replace(/##(?=\[|vso\[|teamcity\[)/gi, '#\\u0023');
}
