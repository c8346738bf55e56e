import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import * as esbuild from 'esbuild';
import { standardSchemas } from '../scripts/packages/standard-schemas.mjs';

const project = fileURLToPath(new URL('..', import.meta.url));

/** Parts of the core, bundled from their sources as the program is: names by the modules that export them. */
export async function loadCore(name, parts) {
  const outfile = join(project, `build/bench/${name}.mjs`);
  const contents = Object.entries(parts).map(
    ([part, path]) => `export { ${part} } from './src/core/${path}';`,
  );
  await esbuild.build({
    stdin: { resolveDir: project, contents: contents.join('\n') },
    outfile,
    bundle: true,
    minify: true,
    platform: 'node',
    format: 'esm',
    target: 'node20.18',
    packages: 'external',
    plugins: [standardSchemas],
    logLevel: 'warning',
  });
  return import(pathToFileURL(outfile).href);
}
