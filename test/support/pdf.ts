import { inflateSync } from 'node:zlib';

/** The text of a PDF as our writer makes it: a line for each piece that is shown, by the maps of its fonts to Unicode. */
export function textOfPdf(bytes: Buffer): string {
  const objects = new Map<string, { head: string; stream: string }>();
  const source = bytes.toString('latin1');
  for (const [, number, body] of source.matchAll(/(\d+) 0 obj\n([\s\S]*?)\nendobj/g)) {
    const at = body!.indexOf('stream\n');
    const head = at < 0 ? body! : body!.slice(0, at);
    const raw = at < 0 ? '' : body!.slice(at + 7, body!.lastIndexOf('\nendstream'));
    const isText = head.includes('FlateDecode') && !head.includes('/Length1');
    objects.set(number!, {
      head,
      stream: isText ? inflateSync(Buffer.from(raw, 'latin1')).toString('latin1') : '',
    });
  }
  const maps = new Map<string, string[]>();
  for (const { head } of objects.values())
    for (const [, name, number] of head.matchAll(/\/(F\d+) (\d+) 0 R/g)) {
      const map = /\/ToUnicode (\d+) 0 R/.exec(objects.get(number!)?.head ?? '')?.[1];
      if (map) maps.set(name!, unicodeOf(objects.get(map)!.stream));
    }
  const lines: string[] = [];
  for (const { stream } of objects.values()) {
    let font: string[] = [];
    for (const [, name, shown] of stream.matchAll(/\/(F\d+) [\d.]+ Tf|\[(.*?)\] TJ/g)) {
      if (name !== undefined) font = maps.get(name) ?? [];
      else {
        const codes = [...shown!.matchAll(/<([0-9a-f]+)>/g)].flatMap(([, hex]) => hex!.match(/.{4}/g) ?? []);
        lines.push(codes.map(code => font[Number.parseInt(code, 16)] ?? '?').join(''));
      }
    }
  }
  return lines.join('\n');
}

/** What each glyph of a font stands for. */
function unicodeOf(map: string): string[] {
  const texts: string[] = [];
  for (const [, first, list] of map.matchAll(/<([0-9a-f]{4})> <[0-9a-f]{4}> \[(.*?)\]/gs)) {
    const begin = Number.parseInt(first!, 16);
    for (const [at, [, hex]] of [...list!.matchAll(/<([0-9a-f ]+)>/g)].entries()) {
      const units = hex!.split(' ').map(unit => Number.parseInt(unit, 16));
      texts[begin + at] = String.fromCharCode(...units);
    }
  }
  return texts;
}
