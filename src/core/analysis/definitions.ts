import type { Holder } from '../definition/hold/held-exchange.ts';
import { type Finding, finding } from '../model/finding.ts';
import { Source } from '../model/source.ts';
import { Missing } from '../model/value.ts';
import type { DefinitionSetting, Level } from '../settings/level.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { CollectionCase } from './collection.ts';
import type { ReadFile } from './schemas.ts';

/** The definitions that the exchanges of a plan are held to. */
export interface OpenedDefinitions {
  /** By paths from the root. */
  readonly files: readonly string[];
  readonly holderOf: (file: string) => Holder | undefined;
  readonly findings: readonly Finding[];
}

/** Reads the definitions that settings around these cases name. What is wrong inside of one keeps none of it from being used. */
export async function openDefinitions(
  cases: Iterable<CollectionCase>,
  readFile: ReadFile,
): Promise<OpenedDefinitions> {
  const named = definitionsNamed(cases);
  const holders = new Map<string, Holder>();
  const findings: Finding[] = [];
  if (named.size === 0) return { files: [], holderOf: () => undefined, findings };
  const { openDefinition, holderOf } = await import('../definition/index.ts');
  for (const [file, { definition, level }] of named) {
    const text = readFile(file);
    if (text instanceof Missing) {
      findings.push(
        finding(
          'definition-missing',
          { source: level.source, range: definition.range },
          `${text.reason}.`,
          'The path of a definition is relative to the file that names it.',
        ),
      );
      continue;
    }
    const opened = openDefinition(new Source(file, text), readFile);
    if (opened.finding) findings.push(opened.finding);
    else holders.set(file, await holderOf(opened.api));
  }
  return { files: [...named.keys()], holderOf: file => holders.get(file), findings };
}

interface Named {
  readonly definition: DefinitionSetting;
  readonly level: Level;
}

function definitionsNamed(cases: Iterable<CollectionCase>): Map<string, Named> {
  const named = new Map<string, Named>();
  for (const { levels, written } of cases) {
    const { definition } = mergeLevels(levels);
    if (!definition || !written.steps.some(({ type }) => type === 'http')) continue;
    if (!named.has(definition.definition.file)) named.set(definition.definition.file, definition);
  }
  return named;
}
