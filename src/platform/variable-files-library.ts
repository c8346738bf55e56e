// What reads the files of variables that teams have already; loaded only where one is named.

export { parse as parseProperties } from 'dot-properties';
export { parse as parseEnv } from 'dotenv';
