// What a stand-in takes to answer, beside a bare server that answers the same bytes: the time of the processor that each
// takes for as many requests, asked by a process of its own.
import { spawn } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { join } from 'node:path';
import { later, mervok, script } from './measure.mjs';

const body = JSON.stringify(
  { code: '0417', quay: 'North Quay', depth: 4.2, state: 'free', note: 'tide '.repeat(150) },
  undefined,
  2,
);

/** A collection with so many requests that have an example, each of another target. */
export function collection(folder, count) {
  const path = join(folder, `stand-in-${count}`);
  mkdirSync(path, { recursive: true });
  writeFileSync(join(path, 'mervok.yaml'), 'base: http://127.0.0.1:1/v1\n');
  const cases = Array.from(
    { length: count },
    (_, each) =>
      `## Case ${each}\n\n\`\`\`http\nGET /quays/${each}/berths/{berth}\n\`\`\`\n\n\`\`\`http\nHTTP/1.1 200 OK\nContent-Type: application/json\n\n${body}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
  );
  writeFileSync(join(path, 'berths.md'), cases.join('\n'));
  return path;
}

/** Starts a server that tells its address, and ends it with the measurements. */
function start(args, options = {}) {
  const child = spawn(process.execPath, args, options);
  later(() => child.kill());
  return new Promise(ready => {
    let said = '';
    child.stdout.on('data', chunk => {
      said += chunk;
      const url = /^http:\S+/m.exec(said)?.[0];
      if (url) ready({ url, pid: child.pid });
    });
  });
}

export const bare = count => start([script('bare-server.mjs'), body, String(count)]);
export const standIn = path => start([mervok, 'mock', '--port', '0', '--quiet'], { cwd: path });

/** In milliseconds: what the system says that a process had of the processor. */
function workOf(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8')
    .replace(/^.*\) /, '')
    .split(' ');
  return (Number(fields[11]) + Number(fields[12])) * 10;
}

/** What a server takes for so many requests over sixteen connections, in milliseconds of the processor. */
export async function workFor({ url, pid }, count, targets) {
  const agent = new Agent({ keepAlive: true, maxSockets: 16 });
  const begin = workOf(pid);
  let next = 0;
  const ask = () =>
    new Promise((done, failed) => {
      const each = next++;
      const sent = request(`${url}/quays/${each % targets}/berths/${each}`, { agent }, response => {
        if (response.statusCode !== 200) failed(new Error(`${response.statusCode}`));
        response.resume().on('end', done).on('error', failed);
      });
      sent.on('error', failed).setTimeout(20_000, () => sent.destroy(new Error('No answer within 20 s')));
      sent.end();
    });
  await Promise.all(
    Array.from({ length: 16 }, async () => {
      while (next < count) await ask();
    }),
  );
  agent.destroy();
  return workOf(pid) - begin;
}
