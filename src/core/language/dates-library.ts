export { UTCDate } from '@date-fns/utc/date';
export { format } from 'date-fns/format';
export { parse } from 'date-fns/parse';
