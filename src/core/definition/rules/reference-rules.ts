import type { DefinitionDocument } from '../document/document.ts';
import { Unresolved } from '../document/document-set.ts';
import { eachReference } from '../document/references.ts';
import type { Rule } from './rule.ts';

/** References that lead nowhere, or out of what may be read. */
export const referencesRule: Rule = ({ documents }, report) => {
  const done = new Set<DefinitionDocument>();
  for (;;) {
    const next = documents.documents.find(each => !done.has(each));
    if (!next) return;
    done.add(next);
    eachReference(next.value, (holder, reference) => {
      const place = { located: { value: holder, document: next }, key: '$ref' };
      const target = documents.target(reference, next);
      if (target instanceof Unresolved) report('definition-reference', place, target.reason, target.remedy);
      else {
        const end = documents.resolve({ value: holder, document: next });
        if (end instanceof Unresolved && /circle/.test(end.reason))
          report('definition-reference', place, end.reason, 'One of them has to say something itself.');
      }
    });
  }
};
