import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const wsdl = (
  origin: string,
) => `<w:definitions name="Harbour" targetNamespace="urn:skerry:service" xmlns:w="http://schemas.xmlsoap.org/wsdl/"
  xmlns:s="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:s12="http://schemas.xmlsoap.org/wsdl/soap12/" xmlns:h="http://schemas.xmlsoap.org/wsdl/http/"
  xmlns:t="urn:skerry:service" xmlns:b="urn:skerry:berths" xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <w:types>
    <xs:schema targetNamespace="urn:skerry:service" elementFormDefault="qualified">
      <xs:import namespace="urn:skerry:berths" schemaLocation="types/berths.xsd"/>
      <xs:import namespace="urn:gone" schemaLocation="types/gone.xsd"/>
      <xs:import namespace="urn:far" schemaLocation="http://far.example/far.xsd"/>
      <xs:element name="reserve">
        <xs:complexType><xs:sequence>
          <xs:element name="berth" type="b:Berth"/>
          <xs:element name="nights"><xs:simpleType><xs:restriction base="xs:int"><xs:minInclusive value="2"/></xs:restriction></xs:simpleType></xs:element>
          <xs:element name="from" type="xs:date"/>
          <xs:choice><xs:element name="cash" type="xs:boolean"/><xs:element name="card" type="xs:string"/></xs:choice>
          <xs:element name="note" type="xs:string" minOccurs="0"/>
        </xs:sequence><xs:attribute name="lang" type="xs:language" use="required"/></xs:complexType>
      </xs:element>
      <xs:element name="reserved" type="xs:string"/>
      <xs:element name="light" type="xs:string"/>
    </xs:schema>
  </w:types>
  <w:message name="Reserve"><w:part name="p" element="t:reserve"/></w:message>
  <w:message name="Reserved"><w:part name="p" element="t:reserved"/></w:message>
  <w:message name="Light"><w:part name="p" element="t:light"/></w:message>
  <w:message name="Count"><w:part name="quay" type="xs:string"/><w:part name="deep" type="xs:boolean"/></w:message>
  <w:message name="Counted"><w:part name="count" type="xs:int"/></w:message>
  <w:portType name="Quay">
    <w:operation name="ReserveBerth"><w:documentation># Break out</w:documentation><w:input message="t:Reserve"/><w:output message="t:Reserved"/></w:operation>
    <w:operation name="LightOn"><w:input message="t:Light"/></w:operation>
  </w:portType>
  <w:portType name="Rpc"><w:operation name="CountBerths"><w:input message="t:Count"/><w:output message="t:Counted"/></w:operation></w:portType>
  <w:binding name="Quay11" type="t:Quay">
    <s:binding style="document" transport="x"/>
    <w:operation name="ReserveBerth"><s:operation soapAction="urn:reserve"/><w:input><s:body use="literal"/></w:input><w:output><s:body use="literal"/></w:output></w:operation>
    <w:operation name="LightOn"><s:operation soapAction="urn:light"/><w:input><s:body use="literal"/></w:input></w:operation>
    <w:operation name="Lost"><s:operation soapAction=""/></w:operation>
  </w:binding>
  <w:binding name="Quay12" type="t:Quay"><s12:binding transport="x"/><w:operation name="LightOn"><s12:operation/></w:operation></w:binding>
  <w:binding name="Web" type="t:Quay"><h:binding verb="GET"/></w:binding>
  <w:binding name="Rpc11" type="t:Rpc">
    <s:binding style="rpc" transport="x"/>
    <w:operation name="CountBerths"><s:operation soapAction=""/><w:input><s:body use="literal" namespace="urn:skerry:rpc"/></w:input><w:output><s:body use="literal" namespace="urn:skerry:rpc"/></w:output></w:operation>
  </w:binding>
  <w:service name="QuayService">
    <w:port name="A" binding="t:Quay11"><s:address location="${origin}/soap?v=1"/></w:port>
    <w:port name="B" binding="t:Quay12"><s12:address location="${origin}/soap12"/></w:port>
    <w:port name="C" binding="t:Web"><h:address location="${origin}"/></w:port>
    <w:port name="D" binding="t:Rpc11"><s:address location="${origin}/rpc"/></w:port>
    <w:port name="E" binding="t:Nothing"/>
  </w:service>
</w:definitions>`;

const berths = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:skerry:berths" xmlns:b="urn:skerry:berths">
  <xs:import namespace="urn:skerry:service" schemaLocation="../harbour.wsdl"/>
  <xs:complexType name="Place"><xs:sequence><xs:element name="quay" type="xs:string"/></xs:sequence></xs:complexType>
  <xs:complexType name="Berth"><xs:complexContent><xs:extension base="b:Place"><xs:sequence>
    <xs:element name="code"><xs:simpleType><xs:restriction base="xs:string"><xs:pattern value="\\d{4}"/></xs:restriction></xs:simpleType></xs:element>
    <xs:element name="beside" type="b:Berth" minOccurs="0"/>
    <xs:element name="state"><xs:simpleType><xs:restriction base="xs:string"><xs:enumeration value="{free}"/></xs:restriction></xs:simpleType></xs:element>
  </xs:sequence></xs:extension></xs:complexContent></xs:complexType>
</xs:schema>`;

test('a definition of a service becomes envelopes that are filled from its types', async t => {
  const asked: string[] = [];
  const origin = await serve(t, async (call, response) => {
    let text = '';
    for await (const chunk of call) text += chunk;
    asked.push(`${call.url} ${call.headers.soapaction} ${text.replace(/\s*\n\s*/g, '')}`);
    if (text.includes('<light')) return response.writeHead(202).end();
    const inner = text.includes('CountBerths')
      ? '<r:CountBerthsResponse xmlns:r="urn:skerry:rpc"><count>3</count></r:CountBerthsResponse>'
      : '<reserved xmlns="urn:skerry:service">7</reserved>';
    response
      .writeHead(200, { 'Content-Type': 'text/xml' })
      .end(
        `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body>${inner}</e:Body></e:Envelope>`,
      );
  });
  const folder = folderWith(t, { 'in/harbour.wsdl': wsdl(origin), 'in/types/berths.xsd': berths });
  const ended = await mervok(folder, ['import', 'in/harbour.wsdl', '-o', 'out']);
  assert.equal(ended.code, 0, ended.err);
  for (const note of [
    /'types\/gone\.xsd' left out: The file 'types\/gone\.xsd' is not in the collection\./,
    /'http:\/\/far\.example\/far\.xsd' left out: it lies in the network, and nothing is fetched\./,
    /The port 'B' left out: its operations are those of 'A'\./,
    /The port 'C' left out: it does not speak SOAP\./,
    /The port 'E' left out: nothing describes its binding\./,
    /The operation 'Lost' left out: nothing describes it\./,
  ])
    assert.match(ended.err, note);
  assert.deepEqual(readdirSync(join(folder, 'out')).sort(), [
    '.gitignore',
    'mervok.yaml',
    'quay-service-2.md',
    'quay-service.md',
  ]);
  const page = readFileSync(join(folder, 'out/quay-service.md'), 'utf8');
  assert.match(
    page,
    /## Reserve berth\n\n\\# Break out\n\n```http\nPOST \/soap\?v=1\nContent-Type: text\/xml; charset=utf-8\nSOAPAction: "urn:reserve"\n/,
  );
  assert.match(page, /status = 200\nxml\/s:Envelope\/s:Body\/t:reserved exists\n/);
  assert.match(page, /## Light on\n[\s\S]*status in 200, 202\n/);
  assert.equal((await mervok(folder, ['lint', 'out'])).code, 0);
  const run = await mervok(folder, ['run', 'out']);
  assert.equal(run.code, 0, run.out);
  assert.deepEqual(asked.sort(), [
    '/rpc "" <s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><CountBerths xmlns="urn:skerry:rpc"><quay xmlns="">text</quay><deep xmlns="">true</deep></CountBerths></s:Body></s:Envelope>',
    '/soap?v=1 "urn:light" <s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><light xmlns="urn:skerry:service">text</light></s:Body></s:Envelope>',
    '/soap?v=1 "urn:reserve" <s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><reserve xmlns="urn:skerry:service" lang="en"><berth><quay xmlns="">text</quay><code xmlns="">1111</code><state xmlns="">{free}</state></berth><nights>2</nights><from>2026-11-25</from><cash>true</cash><note>text</note></reserve></s:Body></s:Envelope>',
  ]);
});

test('what is no definition of a service is one message', async t => {
  const folder = folderWith(t, {
    'a.wsdl': '<w:description xmlns:w="http://www.w3.org/ns/wsdl"/>',
    'b.wsdl': '<a><b></a>',
    'c.xml': '<html/>',
    'd.wsdl': '<!DOCTYPE d [<!ENTITY x SYSTEM "file:///etc/passwd">]><d>&x;</d>',
    'e.wsdl':
      '<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"><import namespace="x" location="e.wsdl"/></definitions>',
    'f.wsdl':
      '<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:t="urn:skerry" targetNamespace="urn:skerry"><portType name="P"/><binding name="B" type="t:P"/><service name="S"><port name="A" binding="t:B"/></service></definitions>',
  });
  const rows: [file: string, code: number, err: RegExp][] = [
    ['a.wsdl', 2, /This is WSDL 2\.0, and this version of Mervok reads 1\.1\./],
    ['b.wsdl', 2, /b\.wsdl:1:\d+ {2}error wsdl-form\n {2}This is no XML:/],
    ['c.xml', 2, /its root is 'html', and that of WSDL 1\.1 is 'definitions'\./],
    ['d.wsdl', 2, /it has an external entity, and those are not read/],
    ['e.wsdl', 2, /^There is nothing to import in 'e\.wsdl'\. It has no operation\.\n$/],
    [
      'f.wsdl',
      2,
      /^There is nothing to import in 'f\.wsdl'\. The port 'A' left out: it does not speak SOAP\.\n$/,
    ],
  ];
  for (const [file, code, err] of rows) {
    const ended = await mervok(folder, ['import', file, '-o', 'out']);
    assert.equal(ended.code, code, file);
    assert.match(ended.err, err, file);
  }
  assert.deepEqual(readdirSync(folder).includes('out'), false);
});

test('services answer where they say, each by a variable of its own; what is no address is told', async t => {
  const asked: string[] = [];
  const [one, two] = await Promise.all(
    ['one', 'two'].map(name =>
      serve(t, (call, response) => {
        asked.push(`${name} ${call.url}`);
        response.writeHead(200, { 'Content-Type': 'text/xml' }).end('<a/>');
      }),
    ),
  );
  const service = (name: string, address: string) =>
    `<service name="${name}"><port name="${name}Port" binding="t:B"><soap:address location="${address}"/></port></service>`;
  const wsdl = (...services: string[]) =>
    `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:skerry" targetNamespace="urn:skerry"><message name="m"/><portType name="P"><operation name="Light"><input message="t:m"/></operation></portType><binding name="B" type="t:P"><soap:binding/><operation name="Light"><soap:operation soapAction=""/></operation></binding>${services.join('')}</definitions>`;
  const folder = folderWith(t, {
    'two.wsdl': wsdl(
      service('Quay', `${one}/quay`),
      service('Tide', `${two}/tide`),
      service('Bell', 'jms:bell'),
    ),
    'none.wsdl': wsdl(service('Quay', 'REPLACE_WITH_ADDRESS')),
    'odd.wsdl': wsdl(service('Quay', 'http://[quay')),
  });
  const imported = await mervok(folder, ['import', 'two.wsdl', '-o', 'two']);
  assert.equal(imported.err, "The port 'BellPort' left out: it is not reached over HTTP.\n");
  assert.match(readFileSync(join(folder, 'two/tide.md'), 'utf8'), /^---\nbase: "\{tide-server\}"\n---\n/);
  assert.equal((await mervok(folder, ['run', 'two'])).code, 0);
  assert.deepEqual(asked, ['one /quay', 'two /tide']);
  for (const file of ['none', 'odd']) {
    const { code, err } = await mervok(folder, ['import', `${file}.wsdl`, '-o', file]);
    assert.deepEqual(
      [code, err],
      [
        0,
        'The definition does not say where it answers; mervok.yaml says http://127.0.0.1:8080, until it is changed there.\n',
      ],
    );
  }
});

test('a long message has only what has to be there, near the surface; a password in it is a secret', async t => {
  const members = Array.from(
    { length: 45 },
    (_, at) => `<xs:element name="mark${at}" type="xs:string" minOccurs="0"/>`,
  );
  const folder = folderWith(t, {
    'harbour.wsdl': `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:skerry" targetNamespace="urn:skerry">
<w:types><xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:skerry" elementFormDefault="qualified">
  <xs:complexType name="Cargo"><xs:sequence>${members.join('')}</xs:sequence></xs:complexType>
  <xs:complexType name="Hold"><xs:sequence><xs:element name="place" type="xs:string"/><xs:element name="cargo" type="t:Cargo" minOccurs="0"/></xs:sequence></xs:complexType>
  <xs:element name="Declare"><xs:complexType><xs:sequence>
    <xs:element name="User" type="xs:string"/><xs:element name="Password" type="xs:string"/>
    <xs:element name="Hold" type="t:Hold" minOccurs="0"/><xs:element name="Extra" type="t:Cargo" minOccurs="0"/>
  </xs:sequence></xs:complexType></xs:element>
  <xs:element name="Note"><xs:complexType><xs:sequence><xs:element name="text" type="xs:string" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
</xs:schema></w:types>
<w:message name="D"><w:part name="p" element="t:Declare"/></w:message><w:message name="N"><w:part name="p" element="t:Note"/></w:message>
<w:portType name="P">${['declare', 'note'].map(each => `<w:operation name="${each}"><w:input message="t:${each[0]!.toUpperCase()}"/></w:operation>`).join('')}</w:portType>
<w:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>${[
      'declare',
      'note',
    ]
      .map(
        each =>
          `<w:operation name="${each}"><soap:operation soapAction=""/><w:input><soap:header message="t:N" part="p" use="literal"/><soap:body use="literal"/></w:input></w:operation>`,
      )
      .join('')}</w:binding>
<w:service name="Customs"><w:port name="A" binding="t:B"><soap:address location="http://127.0.0.1:9/customs"/></w:port></w:service></w:definitions>`,
  });
  const ended = await mervok(folder, ['import', 'harbour.wsdl']);
  assert.match(ended.err, /Headers of SOAP left out, which the operations 'declare' and 'note' have\.\n/);
  const page = readFileSync(join(folder, 'customs.md'), 'utf8');
  assert.match(
    page,
    /<Declare xmlns="urn:skerry">\s+<User>text<\/User>\s+<Password>\{password\}<\/Password>\s+<Hold>\s+<place>text<\/place>\s+<\/Hold>\s+<\/Declare>/,
  );
  assert.match(page, /<Note xmlns="urn:skerry">\s+<text>text<\/text>\s+<\/Note>/);
  assert.match(readFileSync(join(folder, 'mervok.secret.yaml'), 'utf8'), /password: to-be-filled-in\n/);
  assert.equal((await mervok(folder, ['lint', '-q'])).out, '');
});
