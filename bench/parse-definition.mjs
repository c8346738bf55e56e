// Reads a definition by the package alone: what reading it cannot take less than.
import { readFileSync } from 'node:fs';
import { load } from 'js-yaml';

const file = process.argv[2];
const text = readFileSync(file, 'utf8');
const { paths } = file.endsWith('.json') ? JSON.parse(text) : load(text);
if (Object.keys(paths).length < 100) throw new Error('This is no large definition.');
