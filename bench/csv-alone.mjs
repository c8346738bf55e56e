// Reads the records of a table with the package alone: node csv-alone.mjs FILE
import { createReadStream } from 'node:fs';
import { parse } from 'csv-parse';

let cells = 0;
for await (const record of createReadStream(process.argv[2]).pipe(parse({ bom: true, trim: true })))
  cells += record.length;
console.log(cells);
