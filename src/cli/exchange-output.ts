// What tells of every exchange: a part of the bundle that few runs load.
export { operationLines } from '../reports/operation-lines.ts';
export { ExchangeLog } from './exchange-log.ts';
