import { commander } from './commander.mjs';
import { markdownIt } from './markdown-it.mjs';
import { mysql2 } from './mysql2.mjs';
import { pg } from './pg.mjs';
import { preludes } from './preludes.mjs';
import { quickjs } from './quickjs.mjs';
import { standardSchemas } from './standard-schemas.mjs';
import { undici } from './undici.mjs';
import { yaml } from './yaml.mjs';

/** All that is changed of packages, for the program and for its tests alike. */
export const patches = [commander, markdownIt, mysql2, pg, quickjs, undici, yaml];

/** The same as plugins of the bundler, what turns files into texts, and what schemas are made into. */
export const patched = [
  ...patches.map(({ name, setup }) => ({ name: `patch ${name}`, setup })),
  preludes,
  standardSchemas,
];
