import { join } from 'node:path';

/** For Node it offers CommonJS, which cannot be trimmed and starts slower; its modules are the same. */
export const yaml = {
  name: 'yaml',
  version: '2.9.1',
  setup(build) {
    const path = join(process.cwd(), 'node_modules/yaml/browser/dist/index.js');
    build.onResolve({ filter: /^yaml$/ }, () => ({ path }));
  },
};
