import { changeFiles, replaceEach, standIn } from './patch.mjs';

/** It is asked for a limit, which it is given, for a class, which it never meets, and for plain checks. */
const http = 'module.exports = { maxHeaderSize: 16384, IncomingMessage: class {} };';
const assert = `const assert = (value, message) => { if (!value) throw message instanceof Error ? message : new Error(message ?? 'undici: broken assertion'); };
  assert.strictEqual = assert.equal = (a, b, message) => assert(a === b, message);
  assert.notStrictEqual = (a, b, message) => assert(a !== b, message);
  module.exports = assert;`;

const writeHead = `if (contentLength === null) {
        socket.write(\`\${header}transfer-encoding: chunked\\r\\n\`, 'latin1')
      } else {
        socket.write(\`\${header}content-length: \${contentLength}\\r\\n\\r\\n\`, 'latin1')
      }`;
/** Writes the head, once; and what stands before a chunk: behind the head nothing, else the end of the one before. */
const begin = `
  begin () {
    if (this.begun) return
    this.begun = true
    this.first = true
    const { socket, header, contentLength } = this
    const length = contentLength === null ? 'transfer-encoding: chunked' : \`content-length: \${contentLength}\`
    socket.write(\`\${header}\${length}\\r\\n\\r\\n\`, 'latin1')
  }

  atChunks () {
    const { first } = this
    this.first = false
    return first ? '' : '\\r\\n'
  }
`;

/**
 * Only its client is used, and a start should not load more; some rules of HTTP are taken more exactly, and a body may wait
 * until it is wanted.
 */
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
      // What is expected is sent on, and a body that comes in pieces waits for it behind an empty piece.
      'undici/lib/core/request.js': text =>
        replaceEach(
          text,
          "throw new NotSupportedError('expect header not supported')",
          'request.headers.push(key, val)',
        ),
      // Where HTTP/2 is asked for, nothing else is offered.
      'undici/lib/core/connect.js': text =>
        replaceEach(
          text,
          "ALPNProtocols: allowH2 ? ['http/1.1', 'h2'] : ['http/1.1']",
          "ALPNProtocols: options.ALPNProtocols ?? (allowH2 ? ['http/1.1', 'h2'] : ['http/1.1'])",
        ),
      'undici/lib/dispatcher/client-h1.js': text => {
        const changes = [
          // Its parser comes twice; the one for processors without SIMD stays in a file of its own, read only there.
          ["require('../llhttp/llhttp-wasm.js')", "require('./llhttp-plain.cjs')"],
          // Made when the client is loaded, under the flags that are set for it (src/platform/tuning.ts).
          ['let llhttpInstance = null', 'let llhttpInstance = lazyllhttp()'],
          // A server may say 100 without being asked (RFC 9110, 15.2); it is an interim response like any other.
          ['if (statusCode === 100) {', 'if (false) {'],
          // A reason that comes in two pieces is both of them.
          ['this.statusText = buf.toString()', 'this.statusText += buf.toString()'],
          ['onMessageBegin () {', "onMessageBegin () { this.statusText = ''"],
          // An empty piece of a body sends the head alone, down to its end.
          ['if (!len) {\n      return true', 'if (!len) {\n      this.begin()\n      return true'],
          [writeHead, 'this.begin()'],
          ['socket.write(`\\r\\n${len.toString(16)}', 'socket.write(`${this.atChunks()}${len.toString(16)}'],
          ['class AsyncWriter {', `class AsyncWriter {\n${begin}`],
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
