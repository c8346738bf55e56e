import type { Reference } from '../../language/ast.ts';
import { isName } from '../../language/reference.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt } from '../../model/source.ts';
import { didYouMean, inWords } from '../../text/words.ts';
import { OffsetError } from '../offset-error.ts';
import type { GivenName, OperationFence, ReadOperation, WrittenStep } from '../step.ts';
import { type ExportedName, type Import, type ReadModule, readModule } from './read-module.ts';
import { standardModules } from './standard-modules.ts';

/** A script as a page has it. */
export interface WrittenScript extends WrittenStep {
  readonly type: 'script';
  readonly content: Excerpt;
  /** As the engine is handed it. */
  readonly text: string;
  /** The names that it takes from the page. */
  readonly values: readonly Reference[];
  readonly gives: readonly GivenName[];
  /** What it takes from `mervok:exchange`. */
  readonly exchange: Import['names'];
  readonly functions: readonly string[];
  readonly checks: boolean;
  /** Modules of the collection. */
  readonly modules: readonly Import[];
}

// js step
export function readScript({ content, info, infoRange }: OperationFence): ReadOperation<WrittenScript> {
  const errors: SourceError[] = [];
  const more = info.replace(/^js\s+step\s*/, '');
  if (more !== '')
    errors.push(
      new SourceError(
        'script-form',
        { start: infoRange.end - more.length, end: infoRange.end },
        `'${more}' is nothing that can stand here.`,
        "A script imports what it needs: import { nights } from 'mervok:values'",
      ),
    );
  let read: ReadModule;
  try {
    read = readModule(content.text);
  } catch (error) {
    if (!(error instanceof OffsetError)) throw error;
    return { errors: [...errors, inPage(error, content)] };
  }
  errors.push(...read.errors.map(error => inPage(error, content)));
  errors.push(...errorsOfImports(read.imports).map(error => inPage(error, content)));
  errors.push(...errorsOfExports(read).map(error => inPage(error, content)));
  if (errors.length > 0) return { errors };
  return { step: stepOf(content, read), errors };
}

function stepOf(content: Excerpt, { text, imports, exports }: ReadModule): WrittenScript {
  const namesFrom = (module: string) =>
    imports.filter(({ from }) => from === module).flatMap(({ names }) => names);
  return {
    type: 'script',
    range: content.range(0, content.text.length),
    content,
    text,
    values: namesFrom('mervok:values').map(({ name, start, end }) => ({
      type: 'reference',
      name,
      path: [],
      raw: false,
      range: content.range(start, end),
    })),
    gives: exports.map(({ name, start, end }) => ({ name, how: 'keep', range: content.range(start, end) })),
    exchange: namesFrom('mervok:exchange'),
    functions: namesFrom('mervok:functions').map(({ name }) => name),
    checks: namesFrom('mervok:checks').length > 0,
    modules: imports.filter(({ from }) => !standardModules.has(from)),
  };
}

export function inPage({ message, start, end, remedy }: OffsetError, content: Excerpt): SourceError {
  return new SourceError('script-form', content.range(start, end), message, remedy);
}

function errorsOfImports(imports: readonly Import[]): OffsetError[] {
  return imports.flatMap(each => {
    const { from, start, end, whole, passesOn } = each;
    if (passesOn)
      return [
        new OffsetError(
          'A script gives what it has made itself, and passes nothing on.',
          start,
          end,
          `Import it, and export a value: export const fee = …`,
        ),
      ];
    if (isOfCollection(from)) return [];
    if (!standardModules.has(from)) return [unknownModule(each)];
    if (whole)
      return [
        new OffsetError(
          'Names are imported one by one here, so that what a script uses is known before it runs.',
          start,
          end,
          `import { … } from '${from}'`,
        ),
      ];
    return errorsOfNames(each);
  });
}

/** What a module takes from one of Mervok's. */
export function errorsOfNames({ from, names }: Import): OffsetError[] {
  const known = standardModules.get(from);
  return names.flatMap(({ name, start, end }) => {
    if (known ? known.includes(name) : isName(name)) return [];
    if (!known) return [new OffsetError(`'${name}' can be no name of a value.`, start, end)];
    const all = known.length > 6 ? "'mervok help functions' tells them." : `There are ${inWords(known)}.`;
    return [new OffsetError(`'${from}' has no '${name}'.`, start, end, didYouMean(name, known) ?? all)];
  });
}

export function isOfCollection(from: string): boolean {
  return /^\.\.?\//.test(from);
}

export function unknownModule({ from, start, end }: Import): OffsetError {
  const meant = didYouMean(from, standardModules.keys());
  return new OffsetError(
    `There is no module '${from}' for scripts.`,
    start,
    end,
    meant ??
      `There are ${inWords([...standardModules.keys()])}, and modules of the collection: './lib/seasons.js'`,
  );
}

function errorsOfExports({ exports }: ReadModule): OffsetError[] {
  return exports.flatMap(each => {
    const wrong = whatIsWrong(each);
    return wrong ? [new OffsetError(wrong[0], each.start, each.end, wrong[1])] : [];
  });
}

function whatIsWrong({ name, kind }: ExportedName): [message: string, remedy: string] | undefined {
  if (name === 'default') return ['What a script gives has a name.', 'Write: export const fee = …'];
  if (!isName(name))
    return [
      `'${name}' can be no name of a value.`,
      'Names have letters, digits, - and _, a letter first; another one is given by: export { x as fee }',
    ];
  if (!kind) return undefined;
  return [`'${name}' is a ${kind}, which is no value that could be kept.`, 'Export what it gives.'];
}
