import { loadCsv } from '../values/csv-body.ts';
import { loadXml } from '../values/xml.ts';
import type { StatementNode } from './ast.ts';
import { loadDates } from './dates.ts';
import { loadHtml } from './documents/html.ts';
import { loadSchemas } from './documents/schema.ts';
import { loadXPath } from './documents/xpath.ts';
import { loadPatterns } from './patterns.ts';
import { type Part, surveyOf } from './walk.ts';

const loaders = {
  patterns: loadPatterns,
  csv: loadCsv,
  dates: loadDates,
  xpath: loadXPath,
  xml: loadXml,
  html: loadHtml,
  schemas: loadSchemas,
};

/** What a statement cannot do without, and what is loaded only where a statement asks for it. */
export type Package = keyof typeof loaders;

export function packagesOf(statement: Part | StatementNode, needed = new Set<Package>()): Set<Package> {
  const { nodes, sources, comparisons } = surveyOf(statement);
  for (const source of sources) {
    if (source.form === 'path' && source.path.usesPatterns) needed.add('patterns');
    if (source.form === 'path' && source.as === 'csv') needed.add('csv');
    else if (source.form === 'xml') needed.add('xpath');
    else if (source.form === 'html') needed.add('html');
  }
  for (const { predicate } of comparisons) {
    if (predicate.test === 'matches') needed.add('patterns');
    else if (predicate.test === 'fits') needed.add('schemas');
  }
  for (const node of nodes) {
    if (node.type === 'pattern') needed.add('patterns');
    else if (node.type === 'call') {
      if (node.name === 'find') needed.add('patterns');
      else if (node.name === 'date' && node.arguments.length > 1) needed.add('dates');
    }
  }
  return needed;
}

/** To be awaited before statements that need these are looked at or made ready. */
export async function loadPackages(packages: Iterable<Package>): Promise<void> {
  for (const each of packages) await loaders[each]();
}
