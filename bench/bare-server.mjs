// A bare server of the runtime: answers with one of so many bodies that are all the same, by the quay that is asked for.
// Prints its address.
import { createServer } from 'node:http';

const [body, count] = process.argv.slice(2);
const answers = new Map(
  Array.from({ length: Number(count) }, (_, quay) => {
    const bytes = Buffer.from(body);
    const head = ['Content-Type', 'application/json', 'Content-Length', String(bytes.length)];
    return [String(quay), { head: [...head, 'Mervok-Answer', `berths.md#case-${quay}`], bytes }];
  }),
);
const server = createServer((request, response) => {
  const { head, bytes } = answers.get(request.url.split('/')[3]);
  response.writeHead(200, head).end(bytes);
});
server.listen(0, '127.0.0.1', () => console.log(`http://127.0.0.1:${server.address().port}/v1`));
