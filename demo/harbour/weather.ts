import { setTimeout as delay } from 'node:timers/promises';
import { Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

/** What does not always come at once, or at all, or where it was asked for. */
export function weather(office: Office): Route[] {
  let asked = 0;
  const { wind, force } = office.books.forecast;
  return [
    {
      method: 'GET',
      path: '/v1/weather/forecast',
      answer: async ({ query }) => {
        await delay(Math.min(5000, Number(query.get('after') ?? 150)));
        return { status: 200, body: { wind: office.has('turned-vane') ? 315 : wind, force } };
      },
    },
    {
      // The mast sways: every other time its station does not answer.
      method: 'GET',
      path: '/v1/weather/mast',
      answer: () => {
        if (asked++ % 2 === 0)
          throw new Problem(503, 'Out of reach', 'The mast does not answer.', { 'Retry-After': '0' });
        return { status: 200, body: { gusts: office.books.gusts } };
      },
    },
    {
      method: 'GET',
      path: '/v1/weather/almanac',
      answer: () => ({
        status: 200,
        headers: { 'Content-Type': 'text/plain; charset=iso-8859-1' },
        text: Array.from(
          { length: 365 },
          (_, day) => `day ${day + 1}: sun and cloud, wind ${day % 9}\n`,
        ).join(''),
      }),
    },
    {
      method: 'GET',
      path: '/v1/weather',
      answer: () => ({ status: 308, headers: { Location: '/v1/weather/forecast?after=0' } }),
    },
  ];
}
