import { SourceError } from '../../model/finding.ts';
import { Excerpt, Source } from '../../model/source.ts';
import { Missing } from '../../model/value.ts';
import { resolvePath } from '../../text/paths.ts';
import { didYouMean } from '../../text/words.ts';
import { OffsetError } from '../offset-error.ts';
import { type Import, type ReadModule, readModule } from './read-module.ts';
import { errorsOfNames, inPage, isOfCollection, unknownModule } from './read-script.ts';
import { ofFence, standardModules } from './standard-modules.ts';

/** Reads a text file of the collection, by its path from the root. */
type ReadText = (path: string) => string | Missing;

/** The modules that a script imports, and those that they import. */
export interface ModuleTexts {
  /** By their paths from the root of the collection. */
  readonly texts: ReadonlyMap<string, string>;
  /** Whether one of them makes checks. */
  readonly checks: boolean;
  /** The functions of the language that they use. */
  readonly functions: readonly string[];
}

interface ReadFile {
  readonly text: string;
  readonly excerpt: Excerpt;
  readonly module: ReadModule | OffsetError;
}

/** A module of many scripts is read once. */
const known = new WeakMap<ReadText, Map<string, ReadFile | Missing>>();

/**
 * Gathers the modules of the collection that a script takes from, all the way down.
 * @param file of the page, from the root
 * @param add tells what is wrong, in which file
 */
export function gatherModules(
  imports: readonly Import[],
  { content, file, readText }: { content: Excerpt; file: string; readText: ReadText },
  add: (error: SourceError, source: Source) => void,
): ModuleTexts {
  const texts = new Map<string, string>();
  const functions: string[] = [];
  let checks = false;
  const visit = (asked: Import, excerpt: Excerpt, from: string) => {
    const fail = (error: OffsetError) => add(inPage(error, excerpt), excerpt.source);
    const path = resolvePath(from.replace(/[^/]*$/, ''), asked.from);
    const found = readOnce(path, readText);
    if (found instanceof Missing) {
      const { start, end } = asked;
      const range = excerpt.range(start, end);
      const why = `The module '${asked.from}' cannot be read: ${found.reason}.`;
      add(
        new SourceError('file-missing', range, why, 'Its path is relative to the file that names it.'),
        excerpt.source,
      );
      return;
    }
    const { module } = found;
    if (module instanceof OffsetError) {
      if (!texts.has(path)) add(inPage(module, found.excerpt), found.excerpt.source);
      texts.set(path, found.text);
      return;
    }
    if (!texts.has(path)) {
      texts.set(path, module.text);
      for (const error of module.errors) add(inPage(error, found.excerpt), found.excerpt.source);
      for (const each of module.imports) {
        if (isOfCollection(each.from)) visit(each, found.excerpt, path);
        else {
          for (const error of errorsInModule(each)) add(inPage(error, found.excerpt), found.excerpt.source);
          if (each.from === 'mervok:checks') checks = true;
          if (each.from === 'mervok:functions') functions.push(...each.names.map(({ name }) => name));
        }
      }
    }
    for (const error of namesNotThere(asked, module)) fail(error);
  };
  for (const each of imports) visit(each, content, file);
  return { texts, checks, functions };
}

function readOnce(path: string, readText: ReadText): ReadFile | Missing {
  const files = known.get(readText) ?? new Map<string, ReadFile | Missing>();
  known.set(readText, files);
  let found = files.get(path);
  if (!found) {
    found = readFile(path, readText);
    files.set(path, found);
  }
  return found;
}

function readFile(path: string, readText: ReadText): ReadFile | Missing {
  if (!/\.m?js$/.test(path)) return new Missing('it has not the ending .js');
  const text = readText(path);
  if (text instanceof Missing) return text;
  const source = new Source(path, text);
  const excerpt = new Excerpt(source, source.text, 1);
  try {
    return { text: source.text, excerpt, module: readModule(source.text) };
  } catch (error) {
    if (!(error instanceof OffsetError)) throw error;
    return { text: source.text, excerpt, module: error };
  }
}

/** Values and what was answered belong to the fence, which hands them on. */
function errorsInModule(each: Import): OffsetError[] {
  const { from, start, end, whole } = each;
  if (!standardModules.has(from)) return [unknownModule(each)];
  if (ofFence.has(from))
    return [
      new OffsetError(
        `'${from}' can be imported by the script of a page alone.`,
        start,
        end,
        'Hand the value over as an argument of a function.',
      ),
    ];
  return whole
    ? [new OffsetError('Names are imported one by one here.', start, end, `import { … } from '${from}'`)]
    : errorsOfNames(each);
}

function namesNotThere(
  { names, whole, from, start, end }: Import,
  { exports, imports }: ReadModule,
): OffsetError[] {
  if (imports.some(({ passesOn, whole: all }) => passesOn && all)) return [];
  const given = exports.map(({ name }) => name);
  const asked = whole === 'default' ? [{ name: 'default', start, end }] : names;
  return asked.flatMap(each =>
    given.includes(each.name)
      ? []
      : [
          new OffsetError(
            `'${from}' exports no '${each.name}'.`,
            each.start,
            each.end,
            didYouMean(each.name, given),
          ),
        ],
  );
}
