// Which small mistakes can be made in a source: those of a package, and other numbers, which it does not know.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { Instrumenter } from '@stryker-mutator/instrumenter';

const own = dirname(createRequire(import.meta.url).resolve('@stryker-mutator/instrumenter'));
const { allMutators } = await import(pathToFileURL(join(own, 'mutators', 'mutate.js')).href);
allMutators.push({
  name: 'Number',
  *mutate(path) {
    const { node, parent } = path;
    if (node.type === 'NumericLiteral' && parent.type !== 'TSLiteralType' && parent.key !== node)
      yield { type: node.type, value: node.value + 1 };
  },
});

const quiet = () => undefined;
const isOff = () => false;
const logger = {
  ...{
    trace: quiet,
    debug: quiet,
    info: quiet,
    warn: console.warn,
    error: console.error,
    fatal: console.error,
  },
  ...{ isTraceEnabled: isOff, isDebugEnabled: isOff, isInfoEnabled: isOff },
  ...{ isWarnEnabled: isOff, isErrorEnabled: isOff, isFatalEnabled: isOff },
};

/** The mistake that is made by a process, by its number; a module that holds some of them asks for it once. */
const made = 'const $mistake = Number(process.env.MERVOK_MISTAKE ?? -1);';
/** Which mistakes a process came by, one byte each. */
const reached = 'const $reached = globalThis.mervokReached ??= new Uint8Array(1e6);';

/** The package asks its own functions at every mistake, which would make tests a hundred times as slow. */
function written(content, notes) {
  const begin = content.indexOf('function stryNS_9fa48');
  const end = content.indexOf('stryMutAct_9fa48 = isActive;');
  if (begin < 0) return content;
  const head = content.slice(0, begin) + (notes ? reached : '') + made;
  const body = content.slice(content.indexOf('}', content.indexOf('return isActive(id);', end)) + 1);
  const ids = list => list.replaceAll('"', '').split(', ');
  return (
    head +
    body
      .replace(/stryMutAct_9fa48\("(\d+)"\)/g, '($mistake === $1)')
      .replace(/stryCov_9fa48\(((?:"\d+"(?:, )?)+)\)/g, (_, list) =>
        notes
          ? `(${ids(list)
              .map(id => `$reached[${id}] = 1`)
              .join(', ')})`
          : 'void 0',
      )
  );
}

/**
 * @param files paths of sources
 * @returns `mistakes`, each with its number, its place and its line before and after; and `sources`, by absolute path: the
 * sources in which the mistake is made that the variable `MERVOK_MISTAKE` has the number of. With `notes`, those in which
 * `globalThis.mervokReached` tells which of them a process came by.
 */
export async function mistakesIn(files) {
  const contents = new Map(files.map(file => [resolve(file), readFileSync(file, 'utf8')]));
  const given = [...contents].map(([name, content]) => ({ name, content, mutate: true }));
  const options = { plugins: [], excludedMutations: [], ignorers: [] };
  const { mutants, files: instrumented } = await new Instrumenter(logger).instrument(given, options);
  const mistakes = mutants.map(({ id, fileName, location, replacement }) => ({
    id: Number(id),
    file: relative('.', fileName),
    line: location.start.line + 1,
    column: location.start.column + 1,
    ...linesOf(contents.get(fileName), location, replacement),
  }));
  const sources = notes => new Map(instrumented.map(({ name, content }) => [name, written(content, notes)]));
  return { mistakes, sources };
}

/** The lines that a mistake is made in, as they are and as they then are, in short. */
function linesOf(text, { start, end }, replacement) {
  const lines = text.split('\n');
  const offset = ({ line, column }) =>
    lines.slice(0, line).reduce((sum, each) => sum + each.length + 1, column);
  const [from, to] = [offset(start) - start.column, offset(end) + lines[end.line].length - end.column];
  const short = each => each.replace(/\s+/g, ' ').trim().slice(0, 200);
  const after = text.slice(from, offset(start)) + replacement + text.slice(offset(end), to);
  return { before: short(text.slice(from, to)), after: short(after) };
}
