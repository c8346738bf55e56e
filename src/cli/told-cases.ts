import type { RunEvent } from '../core/model/events.ts';
import { ByUser } from '../core/record/by-user.ts';

/** So often a case that does not pass is told to whoever watches; the record has more. */
const toldOfEach = 5;

/** Of what a thread has noted line by line, what others hear of: everything, or some of what did not pass. */
export class ToldCases {
  readonly #toldOf = new Map<string, number>();
  #lines: string[] = [];
  /** The page that each user is on, and whether that has been told; the events of a case stand together. */
  readonly #pages = new ByUser<{ page: RunEvent | undefined }>(() => ({ page: undefined }));
  #waiting: RunEvent[] = [];

  constructor(
    readonly which: 'all' | 'some',
    readonly tell: (lines: readonly string[]) => void,
  ) {}

  add(event: RunEvent): void {
    if (this.which === 'all') {
      this.#lines.push(JSON.stringify(event));
      if (this.#lines.length >= atOnce) this.finish();
      return;
    }
    if (event.type === 'page') this.#pages.of(event).page = event;
    else this.#waiting.push(event);
    if (event.type !== 'case') return;
    const told = this.#toldOf.get(event.case) ?? 0;
    if (event.outcome !== 'passed' && event.outcome !== 'skipped' && told < toldOfEach) {
      this.#toldOf.set(event.case, told + 1);
      const open = this.#pages.of(event);
      if (open.page) this.#lines.push(JSON.stringify(open.page));
      open.page = undefined;
      this.#lines.push(...this.#waiting.map(each => JSON.stringify(each)));
      this.finish();
    }
    this.#waiting = [];
  }

  /** Tells what has been gathered. */
  finish(): void {
    if (this.#lines.length > 0) this.tell(this.#lines);
    this.#lines = [];
  }
}

/** So many lines are told in one go. */
const atOnce = 500;
