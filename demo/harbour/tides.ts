import type { Tide } from './books.ts';
import { type Answer, Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

/** Rates of duty by the code of the goods, in parts of their worth. */
const rates: { readonly [goods: string]: { readonly name: string; readonly rate: string } } = {
  '0302': { name: 'Fish, fresh', rate: '0.02' },
  '2501': { name: 'Salt', rate: '0.00' },
  '5607': { name: 'Rope & twine', rate: '0.12' },
};

/** What older departments say, in XML: the tides, and the tariff of the customs in SOAP. And the board at the gate, in HTML. */
export function tides(office: Office): Route[] {
  return [
    {
      method: 'GET',
      path: '/v1/tides/:quay',
      answer: ({ path }) => {
        const found = office.books.gauges[path.quay!];
        if (!found) throw new Problem(404, 'Not found', `There is no gauge at ${path.quay}.`);
        return xml(200, tidesAsXml(path.quay!, office.has('upside-down') ? turned(found) : found));
      },
    },
    {
      method: 'POST',
      path: '/v1/customs/tariff',
      answer: ({ bytes, request }) => {
        if (!/soap\+xml/.test(request.headers['content-type'] ?? ''))
          throw new Problem(415, 'Not readable', 'The customs read application/soap+xml.');
        const goods = /<(?:\w+:)?goods>\s*([^<]*?)\s*</.exec(bytes.toString('utf8'))?.[1] ?? '';
        const found = rates[goods];
        return found ? xml(200, rateAsSoap(goods, found)) : xml(500, faultAsSoap(`No tariff for '${goods}'`));
      },
    },
    {
      method: 'GET',
      path: '/v1/board',
      answer: () => ({
        status: 200,
        headers: { 'Content-Type': 'text/html; charset=utf-8' },
        text: boardAsHtml(office),
      }),
    },
  ];
}

function turned(list: readonly Tide[]): Tide[] {
  return list.map(tide => ({ ...tide, kind: tide.kind === 'high' ? 'low' : 'high' }));
}

function xml(status: number, text: string): Answer {
  return {
    status,
    headers: {
      'Content-Type':
        status === 200 && text.includes('Envelope') ? 'application/soap+xml' : 'application/xml',
    },
    text,
  };
}

function tidesAsXml(quay: string, list: readonly Tide[]): string {
  const lines = list.map(
    ({ kind, time, height }, index) =>
      `  <tide no="${index + 1}" kind="${kind}"><time>${time}</time>${height === undefined ? '<height unit="m" missing="true"/>' : `<height unit="m">${height.toFixed(1)}</height>`}</tide>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<tides xmlns="urn:skerry:tides" quay="${quay}">\n${lines.join('\n')}\n</tides>\n`;
}

const envelope = (body: string) =>
  `<?xml version="1.0"?>\n<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:c="urn:skerry:customs">\n  <s:Body>${body}</s:Body>\n</s:Envelope>\n`;

function rateAsSoap(goods: string, { name, rate }: { name: string; rate: string }): string {
  return envelope(
    `<c:tariff><c:goods>${goods}</c:goods><c:name>${escapeXml(name)}</c:name><c:rate>${rate}</c:rate></c:tariff>`,
  );
}

function faultAsSoap(reason: string): string {
  return envelope(
    `<s:Fault><s:Code><s:Value>s:Sender</s:Value></s:Code><s:Reason><s:Text xml:lang="en">${escapeXml(reason)}</s:Text></s:Reason></s:Fault>`,
  );
}

function boardAsHtml({ berths }: Office): string {
  const rows = berths.map(
    ({ code, quay, state }) =>
      `<tr class="${state}"><td>${code}</td><td>${escapeXml(quay)}</td><td>${state}</td></tr>`,
  );
  return `<!doctype html>\n<html><head><title>Skerry Harbour</title></head><body>\n<main><h1>Berths\n today</h1>\n<table id="board"><tbody>\n${rows.join('\n')}\n</tbody></table></main>\n</body></html>\n`;
}

function escapeXml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
}
