import type { CheckEvent } from '../../model/events.ts';
import type { Place } from '../../model/place.ts';
import { counted } from '../../text/words.ts';
import { cut } from '../../values/describe.ts';
import type { OperationFault } from '../operation-port.ts';
import type { StepRun } from '../step.ts';
import type { PlannedScript } from './planned-script.ts';
import type { EndedScript, ScriptCheck, ScriptPlace } from './script-port.ts';

/** So much of a line of a script stands for a check, in characters. */
const longestLine = 100;
/** What scripts may print in a case, in characters. */
const mostPrinted = 16_000;
/** What the scripts of a case have printed. */
const printed = new WeakMap<StepRun, number>();

/** What came of a script, in the words of the page that it stands in. */
export class ScriptReport {
  readonly console: string;

  /** @param tainted whether it has seen a secret: only where something happened, and whether it held, is told then */
  constructor(
    readonly script: Pick<PlannedScript, 'content' | 'file' | 'checksAnything' | 'gives' | 'limits'>,
    readonly run: StepRun,
    readonly ended: EndedScript,
    readonly tainted: boolean,
  ) {
    this.console = this.#consoleOf(ended.console);
  }

  #consoleOf(text: string): string {
    if (text === '') return '';
    if (this.tainted) return 'What it printed is not shown: it has seen a secret.';
    const before = printed.get(this.run) ?? 0;
    printed.set(this.run, before + text.length);
    const room = Math.max(0, mostPrinted - before);
    return text.length <= room ? text : `${text.slice(0, room)}… cut`;
  }

  /** `2 checks, 1 value` */
  get inWords(): string {
    const { checks } = this.ended;
    const { gives } = this.script;
    return [
      ...(checks.length > 0 ? [counted(checks.length, 'check')] : []),
      ...(gives.length > 0 ? [counted(gives.length, 'value')] : []),
    ].join(', ');
  }

  get fault(): OperationFault | undefined {
    const { fault } = this.ended;
    if (!fault) return undefined;
    const { kind, message, through } = fault;
    if (kind === 'interrupted') return { kind, message };
    const { place, line, modules } = this.#placeOf(through);
    const said =
      this.tainted && kind === 'exception'
        ? 'The script threw; what it says is not shown: it has seen a secret'
        : message;
    const way = modules.length > 0 ? ` (in ${modules.join(', from ')})` : '';
    const text = `${said.replace(/\.$/, '')}${way}.`;
    return { kind, message: text, place, ...(line !== undefined && { line }) };
  }

  tellChecks(): void {
    const { checks, fault } = this.ended;
    for (const check of checks) this.#tell(check);
    // What was to be checked was not, and that must not be green.
    if (this.script.checksAnything && checks.length === 0 && !fault) this.#tellNone();
  }

  #tell({ how, label, holds, expected, found, differences, through }: ScriptCheck): void {
    const { place, line } = this.#placeOf(through);
    const event: CheckEvent = {
      type: 'check',
      ...this.run.eventContext,
      place,
      text: cut(withoutLabel(line?.trim() ?? how, label), longestLine),
      holds,
    };
    if (!this.tainted) {
      event.label = label;
      const shows = holds !== 'yes' || this.run.tellsFound;
      if (expected !== undefined && holds !== 'yes') event.expected = expected;
      if (found !== undefined && shows) event.found = found;
      if (differences && differences.length > 0) event.differences = [...differences];
    } else if (holds !== 'yes') event.found = '[secret]';
    if (holds !== 'yes') this.run.fail();
    this.run.emit(event);
  }

  #tellNone(): void {
    const { place } = this.#placeOf([]);
    this.run.fail();
    this.run.emit({
      type: 'check',
      ...this.run.eventContext,
      place,
      text: 'the script checks something',
      holds: 'no',
      expected: 'at least one check',
      found: 'it made no check',
    });
  }

  /** Where it is in the page, and by which modules it came there. */
  #placeOf(through: readonly ScriptPlace[]): { place: Place; line: string | undefined; modules: string[] } {
    const { content, file } = this.script;
    const own = through.find(each => each.file === file);
    const at = own ? offsetOf(content.text, own) : 0;
    const { source } = content;
    const position = source.position(content.toPage(at));
    const inner = own ? through.slice(0, through.indexOf(own)) : through;
    const modules = inner.map(each => `${each.file}:${each.line}`);
    return {
      place: { file, ...position },
      line: own && source.lineText(position.line),
      modules: [...new Set(modules)],
    };
  }
}

/** Of a place in a text; columns count characters. */
function offsetOf(text: string, { line, column }: ScriptPlace): number {
  let at = 0;
  for (let left = line - 1; left > 0; left--) {
    const end = text.indexOf('\n', at);
    if (end < 0) return text.length;
    at = end + 1;
  }
  const before = [...text.slice(at, at + 2 * column)].slice(0, column - 1).join('');
  return Math.min(text.length, at + before.length);
}

/** A label that is told beside it need not stand in it once more. */
function withoutLabel(line: string, label: string): string {
  const written = ["'", '"', '`'].map(mark => `${mark}${label}${mark}, `).find(each => line.includes(each));
  return written === undefined ? line : line.replace(written, () => '');
}
