import type { EvaluationContext } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import { renderBase } from '../language/templates/target.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { namesOf } from './case-names.ts';
import type { Collection } from './collection.ts';
import type { GivenValue } from './given-value.ts';
import { chooseEnvironment } from './variables.ts';

export interface BaseOptions {
  readonly environment?: string | undefined;
  readonly given: ReadonlyMap<string, GivenValue>;
  readonly external: ExternalSources;
  readonly clockAndRandom: ClockAndRandom;
}

/**
 * What stands before the targets of a page, which need not be there yet, without a slash at its end; nothing where that
 * is known only in a run. Throws UsageError.
 */
export function baseOfPage(collection: Collection, path: string, options: BaseOptions): string | undefined {
  const page = collection.pages.find(each => each.page.source.file === path);
  const levels = page?.levels ?? collection.levelsAbove(path);
  const { base } = mergeLevels(levels);
  if (!base) return undefined;
  const { given, external, clockAndRandom } = options;
  const isOwn = (level: (typeof levels)[number]) => page !== undefined && level.source === page.page.source;
  const near = new Map(levels.filter(isOwn).flatMap(level => [...level.variables]));
  const outer = new Map([
    ...levels.filter(level => !isOwn(level)).flatMap(level => [...level.variables]),
    ...(collection.secrets?.variables ?? []),
    ...chooseEnvironment(collection, options.environment).variables,
  ]);
  const kept = keptElsewhere(collection, path);
  const open = new Set<VariableDefinition>();
  const context: EvaluationContext = {
    response: undefined,
    clockAndRandom,
    notes: [],
    lookup(name) {
      const value = given.get(name);
      if (value) return { ...value, secret: false };
      const definition = near.get(name) ?? (kept.has(name) ? undefined : outer.get(name));
      if (!definition || open.has(definition)) return undefined;
      open.add(definition);
      const entry = definition.resolve(context, external);
      open.delete(definition);
      return { ...entry, secret: definition.secret };
    },
  };
  try {
    return renderBase(base.template, context).replace(/\/$/, '');
  } catch (error) {
    if (error instanceof TemplateError) return undefined;
    throw error;
  }
}

/** Names whose values other pages keep. */
function keptElsewhere({ pages }: Collection, path: string): Set<string> {
  const others = pages.filter(({ page }) => page.source.file !== path);
  const products = others.flatMap(({ cases }) => cases.flatMap(each => namesOf(each).products));
  return new Set(products.filter(({ how }) => how === 'keep').map(({ name }) => name));
}
