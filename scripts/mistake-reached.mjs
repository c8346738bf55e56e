// Loaded before a test file by `mutate.mjs`: notes which of the possible mistakes the tests came by.
import { writeFileSync } from 'node:fs';

const { MERVOK_REACHED: file } = process.env;
if (file)
  process.on('exit', () => {
    const numbers = [...(globalThis.mervokReached ?? [])].flatMap((reached, id) => (reached ? [id] : []));
    writeFileSync(file, JSON.stringify(numbers));
  });
