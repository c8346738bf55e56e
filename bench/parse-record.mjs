// Reads a record and parses its lines, which is the least that a report has to do.
import { createReadStream } from 'node:fs';

let rest = '';
let events = 0;
for await (const part of createReadStream(process.argv[2], { encoding: 'utf8', highWaterMark: 256 * 1024 })) {
  const lines = (rest + part).split('\n');
  rest = lines.pop();
  for (const line of lines) if (JSON.parse(line).type) events++;
}
console.log(events);
