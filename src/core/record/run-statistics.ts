import type { CaseEvent, ExchangeEvent, RunEvent } from '../model/events.ts';
import type { FiguresEvent } from '../model/load-events.ts';
import { beginsOf, LoadStatistics } from './load/load-statistics.ts';
import { defaultApdex, RequestOutcomes, RequestStatistics } from './request-statistics.ts';
import { Timeline } from './timeline.ts';

/** A request of a case, however often it was sent. */
export interface MeasuredRequest {
  /** The address of the case. */
  readonly case: string;
  /** Of the case. */
  title: string;
  /** As written in the page where that is known, else as it went out first: `GET /berths/{code}`. */
  request: string;
  readonly figures: RequestStatistics;
}

/** How fast and how well a run was served: in all, request by request, and over time. */
export class RunStatistics {
  total = new RequestStatistics(defaultApdex);
  timeline = new Timeline(0);
  /** By the case and the line that it is written in, in the order in which they were first sent. */
  readonly #requests = new Map<string, MeasuredRequest>();
  readonly #ofCase = new Map<string, MeasuredRequest[]>();
  readonly #outcomes = new RequestOutcomes((event, held) => this.#settle(event, held));
  readonly #seen = new Set<string>();
  #repeats = false;
  /** Where it is a run with load, phase by phase. */
  load: LoadStatistics | undefined;

  add(event: RunEvent): void {
    if (this.load) {
      if (event.type === 'figures') this.#addFigures(event, this.load);
      return;
    }
    this.#outcomes.add(event);
    if (event.type === 'run') {
      this.total = new RequestStatistics(event.apdex ?? defaultApdex);
      this.timeline = new Timeline(Date.parse(event.at));
      if (event.load) {
        this.load = new LoadStatistics(event.load, this.total.threshold);
        this.timeline.phases = beginsOf(event.load);
      }
    } else if (event.type === 'case') {
      if (this.#seen.has(event.case)) this.#repeats = true;
      else this.#seen.add(event.case);
      this.#name(event);
    }
  }

  get requests(): readonly MeasuredRequest[] {
    return [...this.#requests.values()];
  }

  /** Those that were sent more than once: of the others one answer alone is known. */
  get repeated(): readonly MeasuredRequest[] {
    return this.requests.filter(({ figures }) => figures.requests > 1);
  }

  /** Whether any case ran more than once, in rounds, by several users, or for several rows. */
  get repeats(): boolean {
    return this.#repeats || this.load !== undefined;
  }

  #addFigures(figures: FiguresEvent, load: LoadStatistics): void {
    this.timeline.addFigures(figures);
    if (figures.phase === 0) return;
    load.add(figures);
    for (const each of figures.requests) {
      const named = load.recorded.requests[each.request];
      if (!named) continue;
      this.total.addFigured(each);
      const key = String(each.request);
      let known = this.#requests.get(key);
      if (!known) {
        const { case: address, title, request } = named;
        known = { case: address, title, request, figures: new RequestStatistics(this.total.threshold) };
        this.#requests.set(key, known);
      }
      known.figures.addFigured(each);
    }
  }

  #settle(event: ExchangeEvent, held: boolean): void {
    this.total.add(event, held);
    this.timeline.add(event, held);
    const key = `${event.case} ${event.place.file}:${event.place.line}`;
    let known = this.#requests.get(key);
    if (!known) {
      const { method, url } = event.request;
      const request = `${method} ${pathOf(url)}`;
      known = { case: event.case, title: '', request, figures: new RequestStatistics(this.total.threshold) };
      this.#requests.set(key, known);
      this.#ofCase.set(event.case, [...(this.#ofCase.get(event.case) ?? []), known]);
    }
    known.figures.add(event, held);
  }

  /** What a request is called is known once its case has ended. */
  #name({ case: address, title, request }: CaseEvent): void {
    for (const [index, each] of (this.#ofCase.get(address) ?? []).entries()) {
      if (each.title !== '') continue;
      each.title = title;
      // What the case calls its first operation may be none of HTTP.
      const [method] = each.request.split(' ');
      if (index === 0 && request?.startsWith(`${method} `)) each.request = request;
    }
  }
}

function pathOf(url: string): string {
  return /^[a-z]+:\/\/[^/]*(\/[^?#]*)/i.exec(url)?.[1] ?? url;
}
