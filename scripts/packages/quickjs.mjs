import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);

/** Of the engine of scripts, the form that needs nothing around it; its WebAssembly lies beside the program as a file. */
export const quickjs = {
  name: '@jitl/quickjs-wasmfile-release-sync',
  version: '0.32.0',
  setup(build) {
    build.onResolve({ filter: /^@jitl\/quickjs-wasmfile-release-sync\/emscripten-module$/ }, ({ path }) => ({
      path: require.resolve(path),
    }));
  },
};
