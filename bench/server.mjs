// A server on loopback that answers everything with a kilobyte of JSON, never twice the same. Tells its port.
import { createServer } from 'node:http';

const berth = index => ({
  code: String(417 + index).padStart(4, '0'),
  quay: 'North Quay',
  depth: 4.2,
  state: index % 2 === 0 ? 'free' : 'taken',
  deposit: 100,
});
const answers = new Map();
let number = 1e6;

/** Of about so many kilobytes; only its number is another one each time. */
function answer(kilobytes) {
  let parts = answers.get(kilobytes);
  if (!parts) {
    const berths = Array.from({ length: kilobytes === 1 ? 9 : kilobytes * 12 }, (_, index) => berth(index));
    const text = JSON.stringify({ number: 0, id: 417, name: 'North Quay', open: true, depth: 4.2, berths });
    parts = text.split(/(?<="number":)0/);
    answers.set(kilobytes, parts);
  }
  return Buffer.from(parts.join(String(number++)));
}

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

/** How long answers took that were to take a while, from the request read to the answer written, in milliseconds. */
let own = [];

function tellTimes(response) {
  const times = own.sort((a, b) => a - b);
  own = [];
  response.end(
    JSON.stringify([50, 90, 99].map(percent => times[Math.ceil((times.length * percent) / 100) - 1])),
  );
}

const server = createServer((request, response) => {
  request.resume();
  if (request.url === '/times') return tellTimes(response);
  const begin = performance.now();
  const [, kind, amount] = /^\/(large|slow|sized)\/(\d+)$/.exec(request.url) ?? [];
  if (kind === 'large') return pour(response, Number(amount));
  const body = answer(kind === 'sized' ? Number(amount) : 1);
  const send = () =>
    response.writeHead(200, { 'Content-Type': 'application/json', 'Content-Length': body.length }).end(body);
  if (kind !== 'slow') return send();
  response.on('finish', () => own.push(performance.now() - begin));
  return setTimeout(send, Number(amount));
});
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
