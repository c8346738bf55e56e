import type { Plan } from '../analysis/plan.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { NamedValues } from '../secrecy/named-values.ts';
import { passwordsIn } from '../secrecy/passwords.ts';
import { textOf } from '../values/text.ts';

/** Secret variables are masked from the first line on, also where no request refers to them. */
export function addKnownSecrets(
  { pages, given }: Plan,
  values: NamedValues,
  external: ExternalSources,
): void {
  for (const [name, { value }] of given) {
    if (values.isSecret(name)) values.conceal(value);
    for (const password of passwordsIn(textOf(value) ?? '')) values.conceal(password);
  }
  // Most cases share what their levels give.
  const levels = new Set(pages.flatMap(page => page.cases.flatMap(({ near, outer }) => [near, outer])));
  for (const definition of new Set([...levels].flatMap(level => [...level.values()]))) {
    const { name, references, computed, literal } = definition;
    for (const password of passwordsIn(literal ?? '')) values.conceal(password);
    if (!values.isSecret(name) || references.length > 0 || computed) continue;
    try {
      values.conceal(definition.resolve({ lookup: () => undefined }, external).value);
    } catch {
      // Where its value is missing, the step that needs it says so.
    }
  }
}
