// A server on loopback that answers everything with a kilobyte of JSON, never twice the same. Tells its port.
import { createServer } from 'node:http';

const berths = Array.from({ length: 9 }, (_, index) => ({
  code: String(417 + index).padStart(4, '0'),
  quay: 'North Quay',
  depth: 4.2,
  state: index % 2 === 0 ? 'free' : 'taken',
  deposit: 100,
}));
const answer = JSON.stringify({ number: 0, id: 417, name: 'North Quay', open: true, depth: 4.2, berths });
const [head, rest] = answer.split(/(?<="number":)0/);
let number = 1e6;
const piece = Buffer.alloc(1 << 16, 'tide ');

/** So many megabytes, as fast as they are taken. */
function pour(response, megabytes) {
  let left = megabytes * 16;
  const more = () => {
    while (left > 0) if (left-- && !response.write(piece)) return response.once('drain', more);
    return response.end();
  };
  more();
}

const server = createServer((request, response) => {
  request.resume();
  const size = /^\/large\/(\d+)$/.exec(request.url)?.[1];
  if (size) return pour(response, Number(size));
  const body = Buffer.from(`${head}${number++}${rest}`);
  const wait = Number(/^\/slow\/(\d+)/.exec(request.url)?.[1] ?? 0);
  if (wait > 0) return setTimeout(() => response.end(body), wait);
  response.writeHead(200, { 'Content-Type': 'application/json', 'Content-Length': body.length }).end(body);
});
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
