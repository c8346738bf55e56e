import { createRequire } from 'node:module';
import { changeFiles, replaceEach } from './patch.mjs';

const require = createRequire(import.meta.url);

/**
 * Of the engine of scripts, the form that needs nothing around it; its WebAssembly lies beside the program as a file. The
 * time of the place where it runs is UTC, so that a script comes to the same on every machine.
 */
export const quickjs = {
  name: '@jitl/quickjs-wasmfile-release-sync',
  version: '0.32.0',
  setup(build) {
    build.onResolve({ filter: /^@jitl\/quickjs-wasmfile-release-sync\/emscripten-module$/ }, ({ path }) => ({
      path: require.resolve(path),
    }));
    changeFiles(build, {
      'quickjs-wasmfile-release-sync/dist/emscripten-module.cjs': text => {
        const local = ['Seconds', 'Minutes', 'Hours', 'Date', 'Month', 'FullYear', 'Day'];
        const utc = local.reduce(
          (changed, part) => replaceEach(changed, `.get${part}()`, `.getUTC${part}()`),
          text,
        );
        return replaceEach(utc, '.getTimezoneOffset()', '.valueOf()*0');
      },
    });
  },
};
