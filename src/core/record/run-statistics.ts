import type { CaseEvent, ExchangeEvent, RunEvent } from '../model/events.ts';
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

  add(event: RunEvent): void {
    this.#outcomes.add(event);
    if (event.type === 'run') {
      this.total = new RequestStatistics(event.apdex ?? defaultApdex);
      this.timeline = new Timeline(Date.parse(event.at));
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
    return this.#repeats;
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
