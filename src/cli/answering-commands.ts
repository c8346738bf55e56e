/** Commands that answer from pages, or hand them out: loaded by them alone, for they are large. */
export { docsCommand } from './docs.ts';
export { mockCommand } from './mock.ts';
