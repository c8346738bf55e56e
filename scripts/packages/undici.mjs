import { changeFiles, replaceEach, standIn } from './patch.mjs';

/** It is asked for a limit, which it is given, for a class, which it never meets, and for plain checks. */
const http = 'module.exports = { maxHeaderSize: 16384, IncomingMessage: class {} };';
const assert = `const assert = (value, message) => { if (!value) throw message instanceof Error ? message : new Error(message ?? 'undici: broken assertion'); };
  assert.strictEqual = assert.equal = (a, b, message) => assert(a === b, message);
  assert.notStrictEqual = (a, b, message) => assert(a !== b, message);
  module.exports = assert;`;

/** Only its HTTP/1.1 client is used, and a start should not load more; two rules of HTTP are taken more exactly. */
export const undici = {
  name: 'undici',
  version: '7.30.2',
  setup(build) {
    standIn(build, 'undici', '/undici/', {
      'node:http': http,
      'node:assert': assert,
      // Only bodies of fetch(), such as FormData, are read with it.
      '../web/fetch/body.js': 'module.exports = {};',
    });
    changeFiles(build, {
      // The client asks for node:http2 (several milliseconds) although it may never speak it.
      'undici/lib/dispatcher/client.js': text =>
        replaceEach(
          text,
          "const connectH2 = require('./client-h2.js')",
          "const connectH2 = (...args) => require('./client-h2.js')(...args)",
        ),
      'undici/lib/dispatcher/client-h1.js': text => {
        const changes = [
          // Its parser comes twice; the one for processors without SIMD stays in a file of its own, read only there.
          ["require('../llhttp/llhttp-wasm.js')", "require('./llhttp-plain.cjs')"],
          // A server may say 100 without being asked (RFC 9110, 15.2); it is an interim response like any other.
          ['if (statusCode === 100) {', 'if (false) {'],
          // A reason that comes in two pieces is both of them.
          ['this.statusText = buf.toString()', 'this.statusText += buf.toString()'],
          ['onMessageBegin () {', "onMessageBegin () { this.statusText = ''"],
        ];
        return changes.reduce((changed, [from, to]) => replaceEach(changed, from, to), text);
      },
      // Its bytes lie beside it, rather than as a text that every start has to read and decode.
      'undici/lib/llhttp/llhttp_simd-wasm.js': text => {
        replaceEach(text, 'const wasmBase64 = ', '');
        return "module.exports = require('node:fs').readFileSync(new URL('./llhttp.wasm', mervokUrl));";
      },
    });
    build.onResolve({ filter: /^\.\/llhttp-plain\.cjs$/ }, ({ path }) => ({ path, external: true }));
  },
};
