// What tells of every exchange: a part of the bundle that few runs load.
export { exchangeLines } from '../reports/exchange-lines.ts';
export { ExchangeLog } from './exchange-log.ts';
