// What patches of packages have in common. Each says which package and version it was made for, and why; a build fails
// where something that it changes is no longer there, and test/packages.test.ts where the version is another one.
import { readFileSync } from 'node:fs';

/** Replaces a text that has to be there. */
export function replaceEach(text, from, to) {
  if (!text.includes(from)) throw new Error(`Nothing to replace: ${from}`);
  return text.replaceAll(from, to);
}

/** Changes files of a package as they are loaded. */
export function changeFiles(build, changes) {
  for (const [ending, change] of Object.entries(changes)) {
    const filter = new RegExp(`/${ending.replace(/[.]/g, '\\.')}$`);
    build.onLoad({ filter }, ({ path }) => ({ contents: change(readFileSync(path, 'utf8')) }));
  }
}

/** Puts a text in the place of modules that a package asks for, by what it calls them. */
export function standIn(build, name, importers, modules) {
  const namespace = `stand-in-${name}`;
  build.onResolve({ filter: /./ }, ({ path, importer }) =>
    Object.hasOwn(modules, path) && importer.includes(importers) ? { path, namespace } : undefined,
  );
  build.onLoad({ filter: /./, namespace }, ({ path }) => ({ contents: modules[path] }));
}
