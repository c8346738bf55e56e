import { functions as known } from '../../language/functions/table.ts';
import { type Package, packagesOf } from '../../language/packages.ts';
import { referencesIn } from '../../language/walk.ts';
import { SourceError } from '../../model/finding.ts';
import { placeOf } from '../../model/place.ts';
import { firstLine } from '../operation-event.ts';
import { planRepeat } from '../repetition.ts';
import type { OperationKind, PlannedStep, PrepareContext } from '../step.ts';
import { gatherModules } from './collection-modules.ts';
import { loadScriptParser } from './read-module.ts';
import { readScript, type WrittenScript } from './read-script.ts';
import { ScriptStep } from './script-step.ts';

export const scriptKind: OperationKind<WrittenScript> = {
  type: 'script',
  fence: 'js step',
  loadReader: loadScriptParser,
  read: readScript,
  attachments: {},
  // It has no answer of its own.
  offers: () => undefined,
  faults: [],
  title: titleOf,
  effect: () => undefined,
  checksAbove: ({ checks }) => checks,
  unchecked: () => undefined,
  uses({ repeat, values, gives }, _effective, use) {
    use(values);
    // What it gives itself is there when its condition is looked at.
    if (repeat) use(referencesIn(repeat).filter(({ name }) => !gives.some(given => given.name === name)));
  },
  gives: ({ gives }) => gives,
  packages({ repeat }, _effective, needed) {
    if (repeat) packagesOf(repeat, needed);
  },
  prepare,
  // Braces are a part of what it is written in.
  foreignReferences: () => [],
};

function titleOf({ content }: WrittenScript): string {
  return `js ${firstLine(content.text, line => /^(?:import\b|\/\/|\/\*|\*)/.test(line))}`;
}

function prepare(script: WrittenScript, context: PrepareContext): readonly PlannedStep[] {
  const { content, exchange, gives } = script;
  const { source, effective, above, readFile, add } = context;
  const repetition = script.repeat && planRepeat(script.repeat, context);
  let isSound = true;
  const addError: PrepareContext['add'] = (errors, where) => {
    if (errors.length > 0) isSound = false;
    add(errors, where);
  };
  for (const { name, start, end } of exchange) {
    const missing = above ? name !== 'answer' && !above.offers.includes('sent') : true;
    if (!missing) continue;
    const message = above
      ? `There is no ${name} of ${above.title}; an answer there is.`
      : `No step stands above this script in its case, so there is no ${name}.`;
    addError([new SourceError('no-response-yet', content.range(start, end), message)]);
  }
  const modules = gatherModules(
    script.modules,
    { content, file: source.file, readText: readFile },
    (error, where) => addError([error], where),
  );
  const checks = script.checks || modules.checks;
  if (!checks && gives.length === 0)
    add([
      new SourceError(
        'script-idle',
        content.range(0, content.text.trimEnd().length),
        'This script checks nothing and gives nothing.',
        "It checks by: import { holds, equals } from 'mervok:checks'; it gives what it exports.",
      ),
    ]);
  if (!isSound) return [];
  const functions = [...new Set([...script.functions, ...modules.functions])];
  const step = new ScriptStep(
    {
      title: titleOf(script),
      content,
      text: script.text,
      file: source.file,
      values: script.values,
      exchange: exchange.map(({ name }) => name as 'answer'),
      modules: modules.texts,
      functions,
      packages: packagesFor(functions),
      checksAnything: checks,
      gives: gives.map(({ name, how }) => ({ name, how })),
      limits: effective.transport.limits,
    },
    placeOf(source, script.range),
    repetition,
  );
  return [step];
}

/** What the functions cannot do without. */
function packagesFor(names: readonly string[]): Package[] {
  const needed = names.flatMap((name): Package[] => {
    if (name === 'date') return ['dates'];
    return known[name]!.parameters.some(each => each === 'pattern' || each === 'part') ? ['patterns'] : [];
  });
  return [...new Set(needed)];
}
