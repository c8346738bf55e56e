// The engine of scripts and nothing else of its packages.
export { default as moduleFactory } from '@jitl/quickjs-wasmfile-release-sync/emscripten-module';
export { QuickJSFFI } from '@jitl/quickjs-wasmfile-release-sync/ffi';
