// Writes docs/record.schema.json, the JSON Schema of the lines of a record, from the schema that the code has.
import { writeFileSync } from 'node:fs';
import * as esbuild from 'esbuild';

const { outputFiles } = await esbuild.build({
  stdin: {
    contents: "export { recordSchema } from './src/core/record/record-schema.ts';",
    resolveDir: '.',
  },
  bundle: true,
  format: 'esm',
  platform: 'node',
  write: false,
});
const source = `data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`;
const { recordSchema } = await import(source);
writeFileSync('docs/record.schema.json', `${JSON.stringify(recordSchema(), undefined, 2)}\n`);
