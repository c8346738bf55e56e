import { createHash, createHmac } from 'node:crypto';
import { Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

interface Part {
  readonly name: string;
  readonly file?: string;
  readonly type?: string;
  readonly content: Buffer;
}

interface Declaration {
  readonly id: number;
  readonly vessel: string;
  readonly crates: number;
  scan?: string;
}

/** What a paper is sealed with: known to the office and to the brokers alone. */
const sealWord = 'red wax';

/** Declarations of goods: a form with a file, a scan that is sent as it is, and papers under seal. */
export function customs(office: Office): Route[] {
  const declarations: Declaration[] = [];
  const declaration = (id: string) => {
    const found = declarations.find(each => String(each.id) === id);
    if (!found) throw new Problem(404, 'Not found', `There is no declaration ${id}.`);
    return found;
  };
  return [
    {
      method: 'POST',
      path: '/v1/customs/declarations',
      answer: ({ bytes, request }) => {
        const parts = readMultipart(bytes, request.headers['content-type'] ?? '');
        const vessel = parts.find(part => part.name === 'vessel')?.content.toString('utf8');
        const manifest = parts.find(part => part.name === 'manifest');
        if (!vessel || !manifest)
          throw new Problem(422, 'Incomplete', 'A vessel and its manifest are needed.');
        if (manifest.type !== 'text/csv')
          throw new Problem(415, 'Not readable', 'A manifest is a table: text/csv.');
        const crates = manifest.content.toString('utf8').trim().split('\n').length - 1;
        const made = { id: declarations.length + 1, vessel, crates };
        declarations.push(made);
        return {
          status: 201,
          headers: { Location: `/v1/customs/declarations/${made.id}` },
          body: {
            ...made,
            file: manifest.file,
            note: parts.find(part => part.name === 'note')?.content.toString(),
          },
        };
      },
    },
    {
      method: 'GET',
      path: '/v1/customs/declarations/:id',
      answer: ({ path }) => ({ status: 200, body: declaration(path.id!) }),
    },
    {
      method: 'PUT',
      path: '/v1/customs/declarations/:id/scan',
      answer: ({ path, bytes, request }) => {
        const found = declaration(path.id!);
        found.scan = createHash('sha256').update(bytes).digest('hex');
        return {
          status: 200,
          body: { size: bytes.length, sha256: found.scan, type: request.headers['content-type'] },
        };
      },
    },
    {
      method: 'POST',
      path: '/v1/customs/clearances',
      answer: ({ bytes, request }) => {
        const at = String(request.headers['seal-time'] ?? '');
        const seal = createHmac('sha256', sealWord)
          .update(`POST /v1/customs/clearances\n${at}\n`)
          .update(createHash('sha256').update(bytes).digest('hex'))
          .digest('hex');
        if (request.headers.seal !== seal && !office.has('open-seal'))
          throw new Problem(403, 'Broken seal', 'The seal does not belong to this paper.');
        const { goods } = JSON.parse(bytes.toString()) as { goods: { value: number; rate: number }[] };
        const duty = goods.reduce((sum, { value, rate }) => sum + Math.round(value * rate * 100), 0) / 100;
        return { status: 201, body: { cleared: true, items: goods.length, duty } };
      },
    },
  ];
}

/** RFC 7578, as far as a harbour office meets it. */
function readMultipart(bytes: Buffer, contentType: string): Part[] {
  const boundary = /^multipart\/form-data;.*boundary="?([^";]+)/i.exec(contentType)?.[1];
  if (boundary === undefined) throw new Problem(415, 'Not readable', 'A declaration is multipart/form-data.');
  // In Latin-1 every byte is one character, so places in the text are places in the bytes.
  const text = bytes.toString('latin1');
  return text
    .split(`--${boundary}`)
    .slice(1, -1)
    .map(part => {
      const at = part.indexOf('\r\n\r\n');
      const head = part.slice(0, at);
      const find = (form: RegExp) => form.exec(head)?.[1];
      const [file, type] = [find(/filename="([^"]*)"/), find(/Content-Type: *([^\r]+)/i)];
      return {
        name: find(/[; ]name="([^"]*)"/) ?? '',
        ...(file !== undefined && { file }),
        ...(type !== undefined && { type }),
        content: Buffer.from(part.slice(at + 4, -2), 'latin1'),
      };
    });
}
