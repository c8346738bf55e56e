import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** It looks for links, entities and punctuation in running text, and renders: a page is only cut into its blocks. */
const leftOut = {
  'linkify-it': 'export default class {}',
  entities: 'export const decodeHTML = text => text; export const decodeHTMLStrict = decodeHTML;',
  'uc.micro': 'export const P = /[^]/, S = /[^]/, Any = /[^]/, Cc = /[^]/, Cf = /[^]/, Z = /[^]/;',
  './parser_inline.mjs': 'export default class { ruler = { enableOnly() {} }; ruler2 = this.ruler; }',
  './renderer.mjs': 'export default class {}',
  './rules_core/smartquotes.mjs': 'export default () => {};',
  './rules_core/replacements.mjs': 'export default () => {};',
  './rules_core/linkify.mjs': 'export default () => {};',
};

const reader = '/pages/markdown-blocks.ts';
const suffix = '?blocks';

/**
 * What cuts pages into blocks is loaded at every start, and half of it would never be reached. Reports that lay out
 * running text get all of the package.
 */
export const markdownIt = {
  name: 'markdown-it',
  version: '14.3.3',
  setup(build) {
    const missed = new Set(Object.keys(leftOut));
    let isUsed = false;
    build.onResolve({ filter: /^markdown-it$/ }, ({ importer }) => {
      if (!importer.endsWith(reader)) return undefined;
      isUsed = true;
      return { path: join(process.cwd(), 'node_modules/markdown-it/index.mjs'), suffix };
    });
    // Of the modules that belong to it alone, each is another one for those who read blocks.
    build.onLoad({ filter: /node_modules\/markdown-it\/.*\.mjs$/ }, ({ path, suffix: own }) =>
      own === suffix
        ? {
            contents: readFileSync(path, 'utf8'),
            loader: 'js',
            pluginData: suffix,
            resolveDir: dirname(path),
          }
        : undefined,
    );
    build.onResolve({ filter: /./ }, ({ path, pluginData, resolveDir }) => {
      if (pluginData !== suffix) return undefined;
      missed.delete(path);
      if (Object.hasOwn(leftOut, path)) return { path, namespace: 'left-out' };
      return path.startsWith('.') ? { path: join(resolveDir, path), suffix } : undefined;
    });
    build.onLoad({ filter: /./, namespace: 'left-out' }, ({ path }) => ({ contents: leftOut[path] }));
    build.onEnd(() => {
      if (isUsed && missed.size > 0)
        throw new Error(`markdown-it does not ask for ${[...missed].join(', ')} any more.`);
    });
  },
};
