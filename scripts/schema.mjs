// Writes the JSON Schemas in docs from the schemas that the code has: of the lines of a record, and of contracts.
import { writeFileSync } from 'node:fs';
import * as esbuild from 'esbuild';

const { outputFiles } = await esbuild.build({
  stdin: {
    contents: `export { recordSchema } from './src/core/record/record-schema.ts';
      export { contractJsonSchema } from './src/core/contract/contract.ts';`,
    resolveDir: '.',
  },
  bundle: true,
  format: 'esm',
  platform: 'node',
  write: false,
});
const source = `data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`;
const { recordSchema, contractJsonSchema } = await import(source);
const write = (name, schema) => writeFileSync(`docs/${name}`, `${JSON.stringify(schema, undefined, 2)}\n`);
write('record.schema.json', recordSchema());
write('contract.schema.json', contractJsonSchema());
