import type { Plan } from '../analysis/plan.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Masker } from '../secrecy/masker.ts';
import { passwordsIn } from '../secrecy/passwords.ts';
import { textOf } from '../values/text.ts';

/** Secret variables are masked from the first line on, also where no request refers to them. */
export function addKnownSecrets(
  { pages, given, secretNames }: Plan,
  masker: Masker,
  external: ExternalSources,
): void {
  for (const [name, { value }] of given) {
    if (secretNames.has(name)) masker.addValue(value, 'lasting');
    for (const password of passwordsIn(textOf(value) ?? '')) masker.addValue(password, 'lasting');
  }
  // Most cases share what their levels give.
  const levels = new Set(pages.flatMap(page => page.cases.flatMap(({ near, outer }) => [near, outer])));
  for (const definition of new Set([...levels].flatMap(level => [...level.values()]))) {
    const { name, references, computed, literal } = definition;
    for (const password of passwordsIn(literal ?? '')) masker.addValue(password, 'lasting');
    if (!secretNames.has(name) || references.length > 0 || computed) continue;
    try {
      masker.addValue(definition.resolve({ lookup: () => undefined }, external).value, 'lasting');
    } catch {
      // Where its value is missing, the step that needs it says so.
    }
  }
}
