import assert from 'node:assert/strict';
import { test } from 'node:test';
import { exercisedPart, holderOf, lookThrough, openDefinition } from '../../src/core/definition/index.ts';
import { Source } from '../../src/core/model/source.ts';
import { filesOf, importFile } from '../../src/interchange/index.ts';

// Schemas in which there are more ways than anybody could go: each refers to all others, or to the next one many times.

const count = 40;
const numbers = Array.from({ length: count }, (_, at) => at);
const refer = (at: number) => ({ $ref: `#/components/schemas/S${at % count}` });
const named = (schemaOf: (at: number) => object) =>
  Object.fromEntries(numbers.map(at => [`S${at}`, schemaOf(at)]));
const membersOf = (at: (each: number) => number) =>
  Object.fromEntries(numbers.map(each => [`m${each}`, refer(at(each))]));
const all = numbers.map(refer);

const clusters: [name: string, schemas: object, circles: number][] = [
  ['each one of all', named(() => ({ anyOf: all })), count],
  ['each either of all', named(() => ({ oneOf: all, properties: { id: { type: 'string' } } })), count],
  ['each made of all', named(() => ({ allOf: all })), count],
  ['each with all', named(() => ({ type: 'object', properties: membersOf(each => each) })), 0],
  [
    'each wants all',
    named(() => ({ type: 'object', properties: membersOf(each => each), required: ['m0', 'm1', 'm2'] })),
    // What only holds them is told with them.
    3,
  ],
  [
    'each with many of the next',
    named(at =>
      at === count - 1
        ? { type: 'string' }
        : { type: 'object', properties: membersOf(() => at + 1), required: numbers.map(each => `m${each}`) },
    ),
    0,
  ],
  ['each with lists of all', named(() => ({ type: 'array', items: { anyOf: all } })), 0],
];

for (const [name, schemas, circles] of clusters)
  test(`a cluster of schemas ends: ${name}`, { timeout: 120_000 }, async () => {
    const content = { 'application/json': { schema: refer(0) } };
    const responses = { 200: { description: 'yes', content }, default: { description: 'no' } };
    const parameter = { name: 'id', in: 'path', required: true, schema: refer(1) };
    const query = { name: 'q', in: 'query', schema: refer(2) };
    const text = JSON.stringify({
      openapi: '3.0.3',
      info: { title: 'Skerry Harbour', version: '1', description: 'x' },
      servers: [{ url: 'http://127.0.0.1:9' }],
      paths: {
        '/berths': {
          post: { summary: 'Make', requestBody: { content }, responses },
          get: { summary: 'All', parameters: [query], responses },
        },
        '/berths/{id}': { get: { summary: 'One', parameters: [parameter], responses } },
      },
      components: { schemas },
    });
    const nothing = () => ({ reason: 'There is nothing.' });
    const { api } = openDefinition(new Source('harbour.json', text), nothing);
    const found = await lookThrough(api!, new Set());
    assert.equal(found.filter(({ code }) => code === 'definition-circle').length, circles);
    const holder = await holderOf(api!);
    for (const [method, path] of [
      ['POST', '/berths'],
      ['GET', '/berths?q=1&m0=2'],
      ['GET', '/berths/417'],
    ] as const)
      holder.hold(
        {
          method,
          url: `http://127.0.0.1:9${path}`,
          sent: {
            headers: [['Content-Type', 'application/json']],
            hasBody: method === 'POST',
            body: '{"m0":{"m1":{}}}',
          },
          status: 200,
          headers: [['Content-Type', 'application/json']],
          body: {
            size: 9,
            contentType: 'application/json',
            json: () => ({ value: { m0: { m1: [] } } }),
            text: () => '',
          },
        },
        'http://127.0.0.1:9',
      );
    assert.equal(exercisedPart(api!, new Map(), true).operations.length, 3);
    const imported = await importFile(
      { name: 'harbour.json', text, readText: nothing },
      { definitionAt: 'harbour.json', settings: [] },
    );
    const { files } = filesOf(imported.collection!, { text: () => undefined });
    assert.ok(files.every(file => file.text.length < 200_000));
  });

test('a definition of a service whose types hold each other many times is filled as far as anybody reads', {
  timeout: 120_000,
}, async () => {
  const element = (at: number) => `<x:element name="m${at}" type="t:T${at % count}"/>`;
  const types = numbers.map(
    at =>
      `<x:complexType name="T${at}"><x:sequence>${numbers.map(each => element(at + 1 + each)).join('')}</x:sequence></x:complexType>`,
  );
  const text = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:x="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:skerry" targetNamespace="urn:skerry"><types><x:schema targetNamespace="urn:skerry">${types.join('')}<x:element name="In" type="t:T0"/></x:schema></types><message name="m"><part name="p" element="t:In"/></message><portType name="P"><operation name="Light"><input message="t:m"/></operation></portType><binding name="B" type="t:P"><soap:binding/><operation name="Light"><soap:operation soapAction=""/></operation></binding><service name="Quay"><port name="Q" binding="t:B"><soap:address location="http://127.0.0.1:9/"/></port></service></definitions>`;
  const imported = await importFile(
    { name: 'quay.wsdl', text, readText: () => ({ reason: '' }) },
    { definitionAt: 'quay.wsdl', settings: [] },
  );
  const { files } = filesOf(imported.collection!, { text: () => undefined });
  const page = files.find(({ path }) => path === 'quay.md')!;
  assert.match(page.text, /<m1 xmlns="">/);
  assert.ok(page.text.length < 3_000_000, `${page.text.length}`);
});
