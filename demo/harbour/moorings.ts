import { Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

interface Mooring {
  readonly id: number;
  readonly vessel: string;
  readonly lines: readonly string[];
  asked: number;
}

/** So many times who asks hears that the lines are not fast yet. */
const patience = 3;

/** A vessel is made fast: that takes a while, and who wants to know asks again. */
export function moorings(office: Office): Route[] {
  const all: Mooring[] = [];
  const mooring = (id: string) => {
    const found = all.find(each => String(each.id) === id);
    if (!found) throw new Problem(404, 'Not found', `There is no mooring ${id}.`);
    return found;
  };
  return [
    {
      method: 'POST',
      path: '/v1/moorings',
      answer: ({ body, request }) => {
        office.requireToken(request.headers.authorization);
        const { vessel, lines } = (body ?? {}) as { vessel?: unknown; lines?: unknown };
        if (vessel === undefined || !Array.isArray(lines))
          throw new Problem(422, 'Incomplete', 'A vessel and its lines are needed.');
        const made = { id: all.length + 1, vessel: String(vessel), lines: lines.map(String), asked: 0 };
        all.push(made);
        return {
          status: 202,
          headers: { Location: `/v1/moorings/${made.id}` },
          body: { id: made.id, state: 'waiting' },
        };
      },
    },
    {
      method: 'GET',
      path: '/v1/moorings/:id',
      answer: ({ path }) => {
        const found = mooring(path.id!);
        found.asked++;
        const fast = found.asked >= patience && !office.has('never-fast');
        return { status: 200, body: { ...tell(found), state: fast ? 'moored' : 'waiting' } };
      },
    },
    {
      method: 'DELETE',
      path: '/v1/moorings/:id',
      answer: ({ path }) => {
        all.splice(all.indexOf(mooring(path.id!)), 1);
        return { status: 204 };
      },
    },
    {
      method: 'GET',
      path: '/v1/moorings',
      answer: () => ({ status: 200, body: { moorings: all.map(tell) } }),
    },
  ];
}

function tell({ id, vessel, lines }: Mooring) {
  return { id, vessel, lines };
}
