import type { Drawing, Ink } from '../charts/drawing.ts';
import { joined } from '../style.ts';
import { type Colour, colours, type Paper } from './paper.ts';

const inks: { readonly [ink in Ink]: Colour } = {
  axis: 'slate',
  grid: 'rule',
  label: 'slate',
  median: 'holds',
  upper: 'slate',
  band: 'band',
  curve: 'holds',
  held: 'band',
  failed: 'failed',
  requests: 'holds',
  users: 'error',
  asked: 'slate',
  phase: 'grey',
};
/** Those of one unit of the chart. */
const thin: ReadonlySet<Ink> = new Set(['grid', 'axis', 'asked', 'phase', 'upper']);

/** A chart with its question above and what it says below, all on one page. */
export function draw({ title, says, width, height, marks }: Drawing, paper: Paper): void {
  const { doc, left } = paper;
  const scale = paper.width / width;
  paper.keep(height * scale + 60);
  paper.text(title, { font: 'bold', size: 10 });
  const top = doc.y;
  doc.save().translate(left, top).scale(scale);
  for (const mark of marks) {
    if (mark.kind === 'area') doc.path(mark.d).fill(colours[inks[mark.ink]]);
    if (mark.kind === 'line') {
      doc.lineWidth(thin.has(mark.ink) ? 1 : 1.75);
      doc.path(mark.d).stroke(colours[inks[mark.ink]]);
    }
    if (mark.kind === 'text') {
      const { x, y, text, anchor, ink } = mark;
      // Areas are light; their names are not.
      const colour = ink === 'held' || ink === 'band' ? 'holds' : inks[ink];
      doc.font('plain').fontSize(13).fillColor(colours[colour]);
      const taken = doc.widthOfString(text);
      const from = anchor === 'end' ? x - taken : anchor === 'middle' ? x - taken / 2 : x;
      doc.text(text, from, y - 11, { lineBreak: false });
    }
  }
  doc.restore();
  doc.y = top + height * scale + 4;
  paper.text(joined(says), { colour: 'slate', size: 8.5, below: 14 });
}
