import { UsageError } from '../core/model/usage-error.ts';
import type { ImportedAuth, ImportedCase, ImportedCollection, ImportedPage } from './imported.ts';
import { noAuth } from './usual-auth.ts';
import { authLines, literalText, yamlText } from './write-pages.ts';

// What an import has to say itself where settings are there already, which stay as they are.

/**
 * A recording, or a service, beside other pages: none of those grows, and what its requests count from is said on its own
 * pages. Throws UsageError where they would then go to another machine without anybody having named it.
 * @param settings the text of the settings that are there
 */
export function besideOthers(
  imported: ImportedCollection,
  settings: string,
  isTaken: (path: string) => boolean,
): ImportedCollection {
  const [environment] = imported.environments;
  const isKnown =
    imported.base !== undefined &&
    settings.includes(`base: ${yamlText(imported.base)}`) &&
    (environment?.variables ?? []).every(([name, value]) =>
      settings.includes(` ${name}: ${literalText(value)}\n`),
    );
  if (!isKnown && environment && !environment.isDefault)
    throw new UsageError(
      `There is a mervok.yaml already, which does not know ${environment.variables[0]?.[1]}. So that nothing is sent there by accident, import it into a folder outside of this collection: -o DIR`,
    );
  const pages = imported.pages.map((page): ImportedPage => {
    let slug = page.slug;
    for (let number = 2; isTaken(`${slug}.md`); number++) slug = `${page.slug}-${number}`;
    const own = isKnown
      ? {}
      : {
          ...(imported.base !== undefined && { base: page.base ?? imported.base }),
          ...(imported.namespaces && { namespaces: imported.namespaces }),
          variables: [...(environment?.variables ?? []), ...page.variables],
        };
    return { ...page, slug, ...own };
  });
  return { ...imported, pages };
}

/** Cases that count from where all others do, where the settings that are there know no other server. */
export function withKnownBases<Case extends ImportedCase>(cases: readonly Case[], settings: string): Case[] {
  return cases.map(each => {
    const { base, ...rest } = each;
    return base === undefined || givesName(settings, base.slice(1, -1)) ? each : (rest as Case);
  });
}

/** A new page, which says how it signs in where the settings that are there say something else. */
export function withOwnAuth(
  page: ImportedPage,
  usual: ImportedAuth | undefined,
  settings: string,
): ImportedPage {
  const { auth: _, ...rest } = page;
  const auth = page.auth ?? usual ?? noAuth;
  return signsIn(auth) === (authIn(settings) ?? signsIn(noAuth)) ? rest : { ...rest, auth };
}

/**
 * Cases for the end of a page that is there: each says how it signs in where that page says something else, and gives the
 * names that the page does not.
 */
export function casesForPage(
  page: ImportedPage,
  cases: readonly ImportedCase[],
  usual: ImportedAuth | undefined,
  { settings, before }: { readonly settings: string; readonly before: string },
): ImportedCase[] {
  const there = authIn(frontMatterOf(before)) ?? authIn(settings) ?? signsIn(noAuth);
  const missing = new Map(page.variables.filter(([name]) => !givesName(before, name)));
  return cases.map(each => {
    const { auth: _, ...rest } = each;
    const auth = each.auth ?? page.auth ?? usual ?? noAuth;
    const uses = JSON.stringify([each.request, each.auth]);
    const values = [...missing].filter(([name]) => uses.includes(`{${name}}`));
    for (const [name] of values) missing.delete(name);
    return {
      ...rest,
      ...(signsIn(auth) !== there && { auth }),
      ...(values.length > 0 && { values }),
    };
  });
}

/** Names that settings give, each with its value as it is written. */
export function namesIn(settings: readonly string[]): Map<string, string> {
  const lines = settings.flatMap(text => [
    ...text.matchAll(/^[ \t]+([a-z][\w-]*)[ \t]*:[ \t]*(.*?)[ \t\r]*$/gm),
  ]);
  return new Map(lines.map(([, name = '', value = '']) => [name, value]));
}

/** Whether settings, or a page, give a name a value. */
export function givesName(text: string, name: string): boolean {
  return new RegExp(`(?<![\\w-])${name}[ \\t]*:`).test(text);
}

/** The settings at the head of a page. */
export function frontMatterOf(page: string): string {
  return /^---\r?\n([\s\S]*?)\r?\n---/.exec(page)?.[1] ?? '';
}

function signsIn(auth: ImportedAuth): string {
  return authLines(auth).join('\n');
}

/** How a level signs in, as it is written in one line; in several it is taken for something else. */
function authIn(settings: string): string | undefined {
  return /^auth:.*$/m.exec(settings)?.[0].trimEnd();
}
