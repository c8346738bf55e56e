import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import { Masker } from '../../src/core/secrecy/masker.ts';

const units = (text: string) => Array.from({ length: text.length }, (_, at) => text.charCodeAt(at));
const bytesOf = (text: string, encoding: BufferEncoding = 'utf8') => [...Buffer.from(text, encoding)];
const hexOf = (byte: number) => byte.toString(16).padStart(2, '0');

/** Ways to write a text so that it stands for itself; each may be applied to what another gave. */
const writings: { readonly [name: string]: (text: string) => string } = {
  JSON: text => JSON.stringify(text).slice(1, -1),
  'JSON, every character': text =>
    units(text)
      .map(unit => `\\u${unit.toString(16).padStart(4, '0')}`)
      .join(''),
  'JSON, what is no ASCII and signs': text =>
    JSON.stringify(text)
      .slice(1, -1)
      .replace(/[^\w\\ -]|[^\u0000-\u007f]/g, char =>
        char === '"' ? char : `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
      )
      .replace(/\\\\u/g, '\\\\u'),
  'JSON, slashes': text => JSON.stringify(text).slice(1, -1).replaceAll('/', '\\/'),
  percent: encodeURIComponent,
  'percent, lower case': text => encodeURIComponent(text).replace(/%../g, code => code.toLowerCase()),
  'percent, every byte': text =>
    bytesOf(text)
      .map(byte => `%${hexOf(byte)}`)
      .join(''),
  'percent, as an address': encodeURI,
  'percent, Latin-1': text =>
    /^[\u0000-\u00ff]*$/.test(text)
      ? bytesOf(text, 'latin1')
          .map(byte => `%${hexOf(byte)}`)
          .join('')
      : encodeURIComponent(text),
  form: text => new URLSearchParams([['', text]]).toString().slice(1),
  XML: text =>
    text.replace(
      /[&<>"']/g,
      char => `&${{ '&': 'amp', '<': 'lt', '>': 'gt', '"': 'quot', "'": 'apos' }[char]};`,
    ),
  'XML, some': text => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;'),
  'XML, numbers': text => [...text].map(char => `&#${char.codePointAt(0)};`).join(''),
  'XML, hexadecimal numbers': text =>
    [...text].map(char => `&#x${char.codePointAt(0)!.toString(16)};`).join(''),
  hex: text => Buffer.from(text).toString('hex'),
  'hex, upper case': text => Buffer.from(text).toString('hex').toUpperCase(),
  'hex, colons': text => bytesOf(text).map(hexOf).join(':'),
  'hex, spaces': text => bytesOf(text).map(hexOf).join(' '),
  base64: text => Buffer.from(text).toString('base64'),
  base64url: text => Buffer.from(text).toString('base64url'),
  'base64, one byte before': text => Buffer.from(`a${text}`).toString('base64'),
  'base64, two bytes before': text => Buffer.from(`ab${text}z`).toString('base64'),
  'base64, in JSON': text => Buffer.from(JSON.stringify({ word: text })).toString('base64'),
  'base64, lines': text =>
    Buffer.from(`${text} and more of it`).toString('base64').replace(/.{16}/g, '$&\r\n'),
};

const secrets = [
  `s3a "&<>' é~*!/+(x)`,
  'plain-0417-word',
  'tide/+&ü-and-time',
  'Ärger-mit-Flüssen',
  '🚢-a-secret-🚢',
  `${'gull and anchor '.repeat(2100)}.`,
];

/** What is left of a text once all that stands for itself is masked. */
function left(text: string, secret: string): string {
  const masker = new Masker();
  masker.addValue(secret, 'lasting');
  return masker.text(text);
}

test('a secret is masked in every form, and in every form of a form', () => {
  const missed: string[] = [];
  const check = (name: string, written: string, secret: string) => {
    const masked = left(`say ${written} now`, secret);
    if (!/^say [\s\S]{0,400}\[secret\][\s\S]{0,400} now$/.test(masked))
      missed.push(`${name}: ${secret.slice(0, 12)}: ${masked.slice(0, 80)}`);
  };
  for (const secret of secrets) {
    check('as it is', secret, secret);
    check('decomposed', secret.normalize('NFD'), secret);
    check('composed', secret, secret.normalize('NFD'));
    for (const [outer, write] of Object.entries(writings)) {
      check(outer, write(secret), secret);
      if (secret.length > 100) continue;
      // What stands in base64 of JSON is two deep already.
      for (const [inner, again] of Object.entries(writings))
        if (!/in JSON/.test(outer + inner)) check(`${outer} of ${inner}`, write(again(secret)), secret);
    }
    const thrice = JSON.stringify(JSON.stringify(JSON.stringify(secret)));
    check('JSON in JSON in JSON', thrice, secret);
  }
  assert.deepEqual(missed, []);
});

test('a secret is masked also where a text was cut in the middle of it', () => {
  const secret = 'plain-0417-word';
  const masker = new Masker();
  masker.addValue(secret, 'lasting');
  for (const write of [
    (text: string) => text,
    writings.hex!,
    writings['percent, every byte']!,
    writings['XML, numbers']!,
  ]) {
    const whole = write(secret);
    for (const length of [Math.ceil(whole.length * 0.8), Math.ceil(whole.length * 0.5)]) {
      const shown = masker.text(`found ${whole.slice(0, length)} …`);
      assert.match(shown, /^found \[secret\].{0,5} …$/, whole.slice(0, length));
      assert.match(
        masker.deep({ text: `found ${whole.slice(0, length)}`, cut: true }).text,
        /^found \[secret\]/,
      );
    }
  }
});

test('base64 is looked into where it holds text, with its lines and blanks, and beside bytes of another kind', () => {
  const rows = [
    '\t\t\n\r\n\t\tSECRET\n\t\r\n\t\t\n\t',
    '\u0001\u0002SECRET',
    'SECRET\u0000\u0000',
    '\t\r\n\tSECRET',
  ];
  for (const row of rows) {
    const written = Buffer.from(row.replace('SECRET', 'anchor-chain-0417')).toString('base64');
    assert.match(left(`say ${written} now`, 'anchor-chain-0417'), /\[secret\]/, JSON.stringify(row));
  }
});

test('what is no escape stands for itself, and hides nothing behind it', () => {
  for (const written of [
    '\\x1\\u0061nchor-chain',
    '\\u12\\u0061nchor-chain',
    '%6%61nchor-chain',
    '&#x&#97;nchor-chain',
  ])
    assert.match(left(`say ${written} now`, 'anchor-chain'), /^say .*\[secret\] now$/, written);
});

test('a short secret is masked where it stands apart', () => {
  const masker = new Masker();
  for (const short of ['4711', 'ab1', 'x']) masker.addValue(short, 'lasting');
  const rows = [
    ['4711', '[secret]'],
    ['x-pin: 4711, 47110', 'x-pin: [secret], 47110'.replace('x-pin', '[secret]-pin')],
    ['{"pin":4711,"no":147112}', '{"pin":[secret],"no":147112}'],
    ['ab1ab1 ab12 cab1 (ab1)', 'ab1ab1 ab12 cab1 ([secret])'],
    ['box', 'box'],
  ];
  for (const [text, masked] of rows) assert.equal(masker.text(text!), masked);
  const basic = masker.text(`Basic ${Buffer.from('keeper:4711').toString('base64')}`);
  assert.doesNotMatch(basic, /NDcxMQ|Q3MTE|0NzEx/);
  assert.match(basic, /^Basic a2VlcG\w*\[secret\]/);
});

test('nothing else is masked: the texts of the demo, the documentation and the program hold none of these secrets', () => {
  const masker = new Masker();
  for (const secret of [
    'q7-anchor-chain-0x',
    'Zr4pLmQw',
    'eyJhbGciOiJIUzI1NiJ9.eyJzdWIiOiJ4In0.c2ln',
    'deadbeef42',
  ])
    masker.addValue(secret, 'lasting');
  let [characters, wrong] = [0, 0];
  for (const folder of ['docs', 'demo', 'src'])
    for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' })) {
      if (!/\.(?:md|ts|yaml|json|csv|xml)$/.test(name)) continue;
      const text = readFileSync(`${folder}/${name}`, 'utf8');
      characters += text.length;
      wrong += masker.text(text).split('[secret]').length - text.split('[secret]').length;
    }
  assert.ok(characters > 1_000_000, `${characters} characters`);
  assert.equal(wrong, 0);
});

test('secrets of a pass are forgotten with it; those of another, and of the run, are not', () => {
  const run = new Masker();
  const [one, other] = [run.forIteration(), run.forIteration()];
  one.addValue('shared-by-two', 'passing');
  other.addValue('shared-by-two', 'passing');
  one.addValue('of-one-alone', 'passing');
  one.addValue('of-the-run', 'lasting');
  one.end();
  // What was under way beside it may still be told of it.
  assert.equal(run.text('shared-by-two of-one-alone of-the-run'), '[secret] [secret] [secret]');
  const third = run.forIteration();
  other.end();
  assert.equal(run.text('of-one-alone of-the-run'), 'of-one-alone [secret]');
  third.end();
  assert.equal(run.text('shared-by-two of-the-run'), 'shared-by-two [secret]');
  const four = [1, 2, 3, 4].map(() => run.forIteration());
  for (const each of four) each.addValue('shared-by-all', 'passing');
  for (const each of four.slice(0, 3)) each.end();
  assert.equal(run.text('shared-by-all'), '[secret]');
});

test('what is no text, or an empty one, masks nothing', () => {
  const masker = new Masker();
  for (const value of ['', true, false, null, [], {}, ['', { a: true }]]) masker.addValue(value, 'lasting');
  assert.equal(masker.text('true, false, null and nothing'), 'true, false, null and nothing');
});

test('many secrets with one beginning, and texts that are nearly secrets, take no longer than they are long', () => {
  const masker = new Masker();
  for (let number = 0; number < 20_000; number++)
    masker.addValue(`eyJhbGciOiJub25lIn0.${number}.end`, 'passing');
  masker.addValue(`${'a'.repeat(32_000)}b`, 'passing');
  const text = `${'eyJhbGciOiJub25lIn0.x '.repeat(2000)}${'a'.repeat(100_000)}`;
  assert.equal(masker.text(text), text);
  assert.equal(masker.text('eyJhbGciOiJub25lIn0.19999.end'), '[secret]');
});
