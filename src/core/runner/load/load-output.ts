import type { CaseEvent, EventOf, RunEvent } from '../../model/events.ts';
import type { FigureGathering } from '../../record/load/gather-figures.ts';
import type { Masker } from '../../secrecy/masker.ts';
import { RunOutput } from '../run-output.ts';

/** So often the lines of the same case that does not pass are told in each phase; and those of the sample. */
const toldOfEach = 50;

/** What a user has done in the case that it is in. */
interface UserLines {
  isSampled: boolean;
  phase: number;
  page: EventOf<'page'> | undefined;
  isPageTold: boolean;
  readonly events: RunEvent[];
}

/** Where the events of a load go: all of them are counted, and few are told line by line. */
export class LoadOutput extends RunOutput {
  readonly #users = new Map<number, UserLines>();
  readonly #toldOf = new Map<string, number>();
  figures: FigureGathering | undefined;

  roundBegins(user: number, phase: number, isSampled: boolean): void {
    const lines = this.#linesOf(user);
    lines.isSampled = isSampled;
    lines.phase = phase;
  }

  override emit(event: RunEvent, masker?: Masker): void {
    switch (event.type) {
      case 'run':
      case 'figures':
      case 'end':
        super.emit(event, masker);
        return;
      case 'page': {
        const lines = this.#linesOf(event.user ?? 0);
        lines.page = event;
        lines.isPageTold = false;
        return;
      }
      default: {
        this.figures?.add(event);
        const lines = this.#linesOf(event.user ?? 0);
        lines.events.push(event);
        if (event.type !== 'case') return;
        if (this.#isTold(event, lines)) this.#tell(lines, masker);
        lines.events.length = 0;
      }
    }
  }

  #isTold({ case: address, outcome }: CaseEvent, { isSampled, phase }: UserLines): boolean {
    if (isSampled) return true;
    if (outcome === 'passed' || outcome === 'skipped') return false;
    const key = `${phase} ${outcome} ${address}`;
    const told = this.#toldOf.get(key) ?? 0;
    this.#toldOf.set(key, told + 1);
    return told < toldOfEach;
  }

  #tell(lines: UserLines, masker: Masker | undefined): void {
    if (lines.page && !lines.isPageTold) super.emit(lines.page, masker);
    lines.isPageTold = true;
    for (const event of lines.events) super.emit(event, masker);
  }

  #linesOf(user: number): UserLines {
    let lines = this.#users.get(user);
    if (!lines) {
      lines = { isSampled: false, phase: 0, page: undefined, isPageTold: false, events: [] };
      this.#users.set(user, lines);
    }
    return lines;
  }
}
