import assert from 'node:assert/strict';
import { test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { fence, within } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serveRaw } from '../support/server.ts';

const kase = (title: string, origin: string, statements: string, settings = '') =>
  `## ${title}\n\n${settings}\`\`\`http\nGET ${origin}/\n\`\`\`\n\n\`\`\`mervok\n${statements}\n\`\`\`\n\n`;

test('whatever a server does, its case ends in a fault and the run goes on', async t => {
  const answering = (answer: Buffer | string) =>
    serveRaw(t, socket => socket.once('data', () => socket.end(answer)));
  const head = 'HTTP/1.1 200 OK\r\n';
  const endless = await serveRaw(t, socket =>
    socket.once('data', () => {
      socket.write(`${head}\r\n`);
      const pour = () => {
        while (!socket.destroyed && socket.write(Buffer.alloc(1 << 20)));
      };
      socket.on('drain', pour);
      pour();
    }),
  );
  const bomb = gzipSync(Buffer.alloc(200_000_000));
  const servers: [title: string, origin: string, fault: string][] = [
    ['Closed', await answering(''), 'reset'],
    ['Not HTTP', await answering('AHOY\r\n\r\n'), 'protocol'],
    ['Endless', endless, 'limit'],
    [
      'Bomb',
      await answering(Buffer.concat([Buffer.from(`${head}Content-Encoding: gzip\r\n\r\n`), bomb])),
      'limit',
    ],
    ['Huge head', await answering(`${head}X: ${'x'.repeat(100_000)}\r\n\r\n`), 'limit'],
    ['Silent', await serveRaw(t, () => undefined), 'timeout'],
  ];
  // A server may say 100 without being asked.
  const good = await answering(`HTTP/1.1 100 Continue\r\n\r\n${head}Content-Length: 2\r\n\r\nok`);
  const page = servers.flatMap(([title, origin, fault]) => {
    const settings = fault === 'timeout' ? within('1500 ms') : '';
    return [
      kase(`${title} unexpected`, origin, 'status = 200', settings),
      kase(`${title} expected`, origin, `fault = "${fault}"`, settings),
    ];
  });
  const folder = folderWith(t, {
    'page.md': `# Faults\n\n${page.join('')}${kase('Good', good, 'status = 200\nbody = "ok"')}`,
  });
  const { code, out, err } = await mervok(folder, ['run', 'page.md'], {
    NODE_OPTIONS: '--max-old-space-size=200',
  });
  assert.deepEqual([code, err], [1, '']);
  for (const [title] of servers) {
    assert.match(out, new RegExp(`^error +${title} unexpected `, 'm'));
    assert.match(out, new RegExp(`^passed +${title} expected `, 'm'));
  }
  assert.match(out, /^passed +Good +GET .* 200 /m);
  assert.match(out, /larger than 10 MiB[\s\S]*larger than 64 KiB/);
  assert.match(out, /^Failed: 6 cases of 1\d could not be carried out; all 8 checks that were made hold\.$/m);
});

test('a connection that never opens does not keep the program from ending', async t => {
  const silent = await serveRaw(t, () => undefined);
  const through = fence('yaml settings', `proxy: ${silent}`);
  const page = [
    kase('TLS', silent.replace('http:', 'https:'), 'fault = "timeout"'),
    kase('Tunnel', 'https://skerry.example', 'fault = "timeout"', through),
    kase('Passed on', 'http://skerry.example', 'fault = "timeout"', through),
  ];
  const folder = folderWith(t, {
    'page.md': `---\ntimeout: 200 ms\n---\n# Silence\n\n${page.join('')}`,
  });
  const { code, out } = await mervok(folder, ['run', '-q', 'page.md']);
  assert.deepEqual([code, out.split('\n')[0]], [0, 'Passed: 3 cases; all 3 checks hold.']);
});
