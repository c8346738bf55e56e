import { readFile } from 'node:fs/promises';
import { transform } from 'esbuild';

/** Modules that a sandbox begins with go into the program as texts, as short as they can be: the engine reads them anew. */
export const preludes = {
  name: 'preludes',
  setup(build) {
    build.onLoad({ filter: /\.prelude\.js$/ }, async ({ path }) => {
      const { code } = await transform(await readFile(path, 'utf8'), { minify: true, format: 'esm' });
      return { contents: code, loader: 'text' };
    });
  },
};
