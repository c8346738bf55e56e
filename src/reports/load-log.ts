import { lengthOfLoad, roundsIn } from '../core/language/load/load.ts';
import type { FiguresEvent, RecordedLoad, RecordedPhase } from '../core/model/load-events.ts';
import { DurationHistogram } from '../core/record/duration-histogram.ts';
import { LoadStatistics, type PhaseStatistics } from '../core/record/load/load-statistics.ts';
import { percentText, rateText } from '../core/record/number-texts.ts';
import { defaultApdex } from '../core/record/request-statistics.ts';
import { grouped } from '../core/text/words.ts';
import { durationText } from '../core/values/text.ts';
import { percentileText } from './percentiles.ts';
import { fit, type Measure, type Paint, visible } from './style.ts';
import { timeText } from './time-text.ts';

interface LogView {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
  readonly line: (text: string) => void;
}

interface Column {
  readonly name: string;
  readonly width: number;
  readonly read: (phase: PhaseStatistics) => string;
}

/** The most important first: a narrow terminal drops the last ones. */
const columns: readonly Column[] = [
  { name: 'rounds', width: 18, read: roundsInWords },
  {
    name: 'failed',
    width: 9,
    read: ({ figures: { failed, errorRate } }) => (failed === 0 ? '0' : percentText(errorRate!)),
  },
  { name: '95 %', width: 9, read: ({ figures }) => percentileText(figures.times, 95) },
  { name: '50 %', width: 9, read: ({ figures }) => percentileText(figures.times, 50) },
  { name: 'users', width: 7, read: ({ mostUsers }) => grouped(mostUsers) },
  {
    name: 'requests/s',
    width: 12,
    read: ({ figures: { requests }, phase }) => rateText(requests / (phase.lasting / 1000)),
  },
  { name: '99 %', width: 9, read: ({ figures }) => percentileText(figures.times, 99) },
];
/** From left to right. */
const order = ['users', 'rounds', 'requests/s', 'failed', '50 %', '95 %', '99 %'];

/** In milliseconds: over so long what goes on now is measured. */
const recently = 5000;

/** Tells of a load while it goes: a line for each phase that has ended, and how it stands now. */
export class LoadLog {
  readonly #statistics: LoadStatistics;
  /** Where each phase begins, the warm-up first, in milliseconds since the run did. */
  readonly #begins: readonly number[];
  readonly #recent: FiguresEvent[] = [];
  #told = 0;
  #now = 0;
  readonly #columns: readonly Column[];
  readonly #room: number;

  constructor(
    readonly load: RecordedLoad,
    readonly view: LogView,
    apdex = defaultApdex,
  ) {
    this.#statistics = new LoadStatistics(load, apdex);
    this.#begins = load.phases.map((_, index) => lengthOfLoad({ phases: load.phases.slice(0, index) }));
    const { width } = view;
    const fitting = columns.map(each =>
      each.name === 'rounds' ? { ...each, width: widthOfRounds(load) } : each,
    );
    const shown = fitting.filter(
      (_, index) => fitting.slice(0, index + 1).reduce((sum, each) => sum + each.width, 0) <= width - 26,
    );
    this.#columns = shown.toSorted((a, b) => order.indexOf(a.name) - order.indexOf(b.name));
    this.#room = width - this.#columns.reduce((sum, each) => sum + each.width, 0);
  }

  add(figures: FiguresEvent): void {
    if (figures.phase > 0) this.#statistics.add(figures);
    this.#now = Math.max(this.#now, figures.from + figures.lasting);
    this.#recent.push(figures);
    while (this.#recent.length > 0 && endOf(this.#recent[0]!) <= this.#now - recently) this.#recent.shift();
    // What a phase began may end a moment later.
    const next = this.#statistics.phases[this.#told];
    if (next && figures.from >= next.begin + next.phase.lasting + 1000) this.#tell(next);
  }

  /** Tells of the phases that have not been told. */
  end(): void {
    for (const next of this.#statistics.phases.slice(this.#told)) if (next.rounds.begun > 0) this.#tell(next);
  }

  /** How it stands: `"storm", 20 s of 10 min: 41 users, 398 rounds/s, …`. */
  progress(elapsed: number): string {
    const { phases } = this.load;
    const at = this.#begins.findLastIndex(begin => begin <= elapsed);
    const phase = phases[Math.max(0, at)]!;
    const since = elapsed - this.#begins[Math.max(0, at)]!;
    const where =
      since <= phase.lasting
        ? `${nameOf(phase)}, ${inSeconds(since)} of ${durationText(phase.lasting)}`
        : 'the last rounds';
    const last = this.#recent.filter(each => endOf(each) > this.#now - 1500);
    const seconds = Math.max(1, new Set(this.#recent.map(each => Math.round(each.from / 1000))).size);
    let [rounds, requests, failed] = [0, 0, 0];
    const times = new DurationHistogram();
    for (const figures of this.#recent) {
      rounds += figures.rounds.begun;
      for (const each of figures.requests) {
        requests += each.count;
        failed += each.failed;
        times.addRecorded(each.times);
      }
    }
    const users = last.reduce((sum, each) => sum + each.users, 0);
    const parts = [
      `${grouped(users)} ${users === 1 ? 'user' : 'users'}`,
      `${rateText(rounds / seconds)}${askedNow(phase, since)} rounds/s`,
      `${rateText(requests / seconds)} requests/s`,
      failed === 0 ? 'none failed' : `${percentText(failed / requests)} failed`,
      ...(times.count > 0
        ? [`half within ${timeText(times.percentile(50)!)}`, `95 % within ${timeText(times.percentile(95)!)}`]
        : []),
    ];
    // What has no room is left out as a whole, the last first.
    const fits = (count: number) =>
      this.view.measure(`${where}: ${parts.slice(0, count).join(', ')}`) < this.view.width;
    let count = parts.length;
    while (count > 1 && !fits(count)) count--;
    return `${where}: ${parts.slice(0, count).join(', ')}`;
  }

  #tell(phase: PhaseStatistics): void {
    const { paint, measure, line } = this.view;
    if (this.#told === 0)
      line(
        paint(
          'quiet',
          ' '.repeat(this.#room) + this.#columns.map(({ name, width }) => name.padStart(width)).join(''),
        ),
      );
    this.#told++;
    const name = fit(visible(phaseTitle(phase.phase)), this.#room - 1, measure);
    const text = `${name} ${this.#columns.map(({ width, read }) => read(phase).padStart(width)).join('')}`;
    line(phase.figures.failed > 0 ? paint('failed', text) : text);
  }
}

/** As wide as the longest pair of numbers, where rounds are due. */
function widthOfRounds({ phases }: RecordedLoad): number {
  const due = phases.map(phase => (phase.unit === 'users' ? 0 : Math.ceil(roundsIn(phase))));
  const most = grouped(Math.max(...due));
  return Math.max(11, 2 + `${most} of ${most}`.length);
}

function endOf({ from, lasting }: FiguresEvent): number {
  return from + lasting;
}

function inSeconds(milliseconds: number): string {
  return durationText(Math.round(milliseconds / 1000) * 1000);
}

function nameOf({ number, label }: RecordedPhase): string {
  if (number === 0) return 'warming up';
  return label === undefined ? `phase ${number}` : `"${label}"`;
}

/** `3  "storm": stay 10 min` */
export function phaseTitle({ number, label, text }: RecordedPhase): string {
  return `${number}  ${label === undefined ? text : `"${label}": ${text}`}`;
}

/** Where rounds are due: ` of 400`. */
function askedNow({ unit, from, to, lasting }: RecordedPhase, since: number): string {
  if (unit === 'users') return '';
  return ` of ${rateText(from + (to - from) * Math.min(1, since / lasting))}`;
}

/** How many began, and of how many that were due: `1,190 of 1,200`. */
export function roundsInWords({ phase, rounds }: PhaseStatistics): string {
  return phase.unit === 'users'
    ? grouped(rounds.begun)
    : `${grouped(rounds.begun)} of ${grouped(rounds.due)}`;
}
