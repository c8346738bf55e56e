/** Commands that look at what checks are worth: loaded by them alone. */

export { contractCommand } from './contract.ts';
export { doubtCommand } from './doubt.ts';
export { suggestCommand } from './suggest.ts';
