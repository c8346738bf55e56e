import { createHash } from 'node:crypto';
import { areasOf } from './areas.ts';
import { customs } from './customs.ts';
import { graph } from './graph.ts';
import { type Answer, type Call, Problem, type Route } from './http.ts';
import { moorings } from './moorings.ts';
import type { Berth, BerthState, Office, Reservation, Vessel } from './office.ts';
import { tides } from './tides.ts';
import { weather } from './weather.ts';

type Fields = { [name: string]: unknown };

/** Everything that the harbour office answers. */
export function routesOf(office: Office): Route[] {
  return [
    ...signIn(office),
    ...berths(office),
    ...vessels(office),
    ...reservations(office),
    ...areasOf(office),
    ...customs(office),
    ...graph(office),
    ...weather(office),
    ...tides(office),
    ...office.gauge.routes(),
    ...moorings(office),
  ];
}

function signIn(office: Office): Route[] {
  return [
    {
      method: 'POST',
      path: '/v1/sessions',
      answer: ({ body }) => {
        const { office: name, password } = fieldsOf(body);
        if (name !== 'harbour-master' || password !== 'spring-tide')
          throw new Problem(401, 'Not signed in', 'Name or password is wrong.');
        return { status: 201, body: office.newToken() };
      },
    },
  ];
}

function berths(office: Office): Route[] {
  const tell = ({ code, quay, depth, state, tariff, deposit }: Berth) => ({
    code,
    quay,
    depth,
    state,
    tariff: tariff / 100,
    deposit,
  });
  return [
    {
      method: 'GET',
      path: '/v1/berths',
      answer: ({ query }) => {
        const state = query.get('state') as BerthState | null;
        if (state !== null && !['free', 'taken', 'closed'].includes(state))
          throw new Problem(400, 'Unknown state', `'${state}' is none of free, taken and closed.`);
        const depth = Number(query.get('depth') ?? 0);
        const leaks = (berth: Berth) => office.has('leaking-list') && berth.state === 'closed';
        const found = office.berths.filter(
          berth => (state === null || berth.state === state || leaks(berth)) && berth.depth >= depth,
        );
        return pageOf(listOf(office, 'berths', found.map(tell)), query, office);
      },
    },
    {
      method: 'GET',
      path: '/v1/berths/deepest',
      answer: () => ({ status: 302, headers: { Location: './0733' } }),
    },
    {
      method: 'GET',
      path: '/v1/berths/:berth',
      answer: ({ path, request }) => {
        const body = tell(office.berth(path.berth!));
        const headers = { ETag: tagOf(body) };
        return request.headers['if-none-match'] === headers.ETag
          ? { status: 304, headers }
          : { status: 200, headers, body };
      },
    },
    {
      method: 'PATCH',
      path: '/v1/berths/:berth',
      answer: ({ path, body, request }) => {
        const berth = office.berth(path.berth!);
        const seen = request.headers['if-match'];
        if (seen === undefined) throw new Problem(428, 'Not seen', 'Say what you have seen: If-Match.');
        if (seen !== tagOf(tell(berth)) && !office.has('lost-update'))
          throw new Problem(412, 'Changed meanwhile', 'The berth is not as you have seen it.');
        const { tariff } = fieldsOf(body);
        if (typeof tariff !== 'number' || tariff <= 0)
          throw new Problem(422, 'Incomplete', "'tariff' is no amount.");
        berth.tariff = Math.round(tariff * 100);
        const changed = tell(berth);
        return { status: 200, headers: { ETag: tagOf(changed) }, body: changed };
      },
    },
  ];
}

function vessels(office: Office): Route[] {
  const tell = ({ id, ...rest }: Vessel) => ({ id: office.tellId(id), ...rest });
  return [
    {
      method: 'POST',
      path: '/v1/vessels',
      answer: call => {
        office.requireToken(call.request.headers.authorization);
        const { name, length, flag } = fieldsOf(call.body);
        if (typeof name !== 'string' || name === '')
          throw new Problem(422, 'Incomplete', "'name' is missing.");
        if (typeof length !== 'number' || length <= 0)
          throw new Problem(422, 'Incomplete', "'length' is no length in metres.");
        const vessel: Vessel = { id: office.newId(), name, length, flag: String(flag ?? 'unknown') };
        office.vessels.push(vessel);
        return { status: 201, headers: { Location: `/v1/vessels/${vessel.id}` }, body: tell(vessel) };
      },
    },
    { method: 'GET', path: '/v1/vessels', answer: () => listOf(office, 'vessels', office.vessels.map(tell)) },
    {
      method: 'GET',
      path: '/v1/vessels/:vessel',
      answer: ({ path }) => ({ status: 200, body: tell(office.vessel(path.vessel!)) }),
    },
    {
      method: 'DELETE',
      path: '/v1/vessels/:vessel',
      answer: ({ path, request }) => {
        office.requireToken(request.headers.authorization);
        office.vessels.splice(office.vessels.indexOf(office.vessel(path.vessel!)), 1);
        return { status: 204 };
      },
    },
  ];
}

function reservations(office: Office): Route[] {
  const guarded = (answer: (call: Call) => Answer) => (call: Call) => {
    office.requireToken(call.request.headers.authorization);
    return answer(call);
  };
  const tell = ({ id, berth, vessel, nights, arrival }: Reservation) => ({
    id: office.tellId(id),
    berth: berth.code,
    vessel: office.tellId(vessel),
    nights,
    arrival,
    fee: (nights * berth.tariff) / 100,
    paid: false,
  });
  return [
    {
      method: 'POST',
      path: '/v1/berths/:berth/reservations',
      answer: guarded(({ path, body }) => {
        const berth = office.berth(path.berth!);
        const { vessel, nights, arrival } = fieldsOf(body);
        const known = office.vessel(String(vessel));
        checkNights(nights);
        if (typeof arrival !== 'string' || Number.isNaN(Date.parse(arrival)))
          throw new Problem(422, 'Incomplete', "'arrival' is no date.");
        if (berth.state !== 'free')
          throw new Problem(409, 'Not free', `Berth ${berth.code} is ${berth.state}.`);
        berth.state = 'taken';
        const made: Reservation = {
          id: office.newId(),
          berth,
          vessel: known.id,
          nights: nights as number,
          arrival,
          cancelled: false,
        };
        office.reservations.push(made);
        office.ledger?.enter('reserved', made);
        return { status: 201, headers: { Location: `/v1/reservations/${made.id}` }, body: tell(made) };
      }),
    },
    {
      method: 'GET',
      path: '/v1/reservations/:id',
      answer: guarded(({ path }) => ({ status: 200, body: tell(office.reservation(path.id!)) })),
    },
    {
      method: 'PATCH',
      path: '/v1/reservations/:id',
      answer: guarded(({ path, body }) => {
        const found = office.reservation(path.id!);
        const { nights } = fieldsOf(body);
        checkNights(nights);
        found.nights = nights as number;
        office.ledger?.enter('changed', found);
        return { status: 200, body: tell(found) };
      }),
    },
    {
      method: 'DELETE',
      path: '/v1/reservations/:id',
      answer: guarded(({ path }) => {
        const found = office.reservation(path.id!);
        if (!found.cancelled && !office.has('deaf-ledger')) office.ledger?.enter('cancelled', found);
        found.cancelled = true;
        found.berth.state = 'free';
        return { status: 204 };
      }),
    },
  ];
}

function listOf(office: Office, name: string, items: unknown[]): Answer {
  return { status: 200, body: { count: items.length + (office.has('lying-count') ? 1 : 0), [name]: items } };
}

/** Cuts a list into pages, where somebody asks for them, and says where the others are (RFC 8288). */
function pageOf(answer: Answer, query: URLSearchParams, office: Office): Answer {
  const size = Number(query.get('size') ?? 0);
  if (!(size > 0)) return answer;
  const body = answer.body as { berths: unknown[] };
  const page = Math.max(1, Number(query.get('page') ?? 1));
  const last = Math.max(1, Math.ceil(body.berths.length / size));
  const link = (to: number, relation: string) => `<?size=${size}&page=${to}>; rel="${relation}"`;
  const links = [
    ...(page < last || office.has('endless-pages') ? [link(page + 1, 'next')] : []),
    ...(page > 1 ? [link(page - 1, 'prev')] : []),
    link(last, 'last'),
  ];
  return {
    ...answer,
    headers: { Link: links.join(', ') },
    body: { ...body, berths: body.berths.slice((page - 1) * size, page * size) },
  };
}

function tagOf(body: unknown): string {
  return `"${createHash('sha256').update(JSON.stringify(body)).digest('hex').slice(0, 16)}"`;
}

function checkNights(nights: unknown): void {
  if (!Number.isInteger(nights) || (nights as number) < 1 || (nights as number) > 60)
    throw new Problem(422, 'Not possible', "'nights' is a whole number from 1 to 60.");
}

function fieldsOf(body: unknown): Fields {
  if (typeof body !== 'object' || body === null)
    throw new Problem(400, 'Not readable', 'The body is no JSON object.');
  return body as Fields;
}
