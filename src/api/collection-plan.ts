import { kindsIn, type Plan } from '../core/analysis/plan.ts';
import type { EndTotals, RunEvent } from '../core/model/events.ts';
import { type Finding as CoreFinding, sortFindings } from '../core/model/finding.ts';
import type { Stop } from '../core/model/outcomes.ts';
import { RunTotals } from '../core/record/totals.ts';
import { run } from '../core/runner/run.ts';
import type { FilePlaces } from '../platform/file-places.ts';
import { openPorts } from '../platform/ports.ts';
import { version } from '../platform/version.ts';

/** Something to say about a page or a settings file. */
export interface Finding {
  /** As docs/findings.md explains it. */
  readonly code: string;
  readonly severity: 'error' | 'warning';
  /** From the root of the collection. */
  readonly file: string;
  /** Both from 1. */
  readonly line: number;
  readonly column: number;
  /** What is wrong. */
  readonly message: string;
  /** What mends it, where that can be said. */
  readonly remedy?: string;
}

/** A case that a run carries out. */
export interface PlannedCase {
  /** `berths.md#reserve-a-berth` */
  readonly address: string;
  readonly title: string;
  readonly tags: readonly string[];
  /** Whether it was asked for, or only others need it. */
  readonly asked: boolean;
}

/** How a run goes. */
export interface RunChoices {
  /** Of each user; one without it. */
  readonly rounds?: number;
  /** How many run at the same time. */
  readonly users?: number;
  /** How many pages run at the same time. */
  readonly jobs?: number;
  /** Whether the first case that does not pass ends the run. */
  readonly failFast?: boolean;
  /** In milliseconds: how long it may take. */
  readonly timeout?: number;
  /** What chance begins with, for a run that is to be repeated. */
  readonly seed?: string;
  /** Ends it. */
  readonly signal?: AbortSignal;
}

/** What a run came to. */
export interface RunSummary {
  /** Whether everything passed, something was checked, and every bound is kept. */
  readonly passed: boolean;
  readonly totals: EndTotals;
  /** In milliseconds. */
  readonly duration: number;
  /** What ended it before everything had run. */
  readonly stopped?: Stop;
}

/** What a run of a collection will do. */
export class CollectionPlan {
  readonly title: string;
  /** In the order in which they run. */
  readonly cases: readonly PlannedCase[];
  /** What is wrong with the collection; where one of them is an error, nothing can be run. */
  readonly findings: readonly Finding[];
  readonly #plan: Plan;
  readonly #places: FilePlaces;

  /** @internal */
  constructor(plan: Plan, findings: readonly CoreFinding[], places: FilePlaces) {
    this.#plan = plan;
    this.#places = places;
    this.title = plan.title;
    this.findings = sortFindings(findings).map(toldFinding);
    this.cases = plan.pages.flatMap(page =>
      page.cases.map(({ address, title, tags, asked }) => ({ address, title, tags, asked })),
    );
  }

  /** Whether it can be run. */
  get isSound(): boolean {
    return this.findings.every(({ severity }) => severity !== 'error');
  }

  /**
   * Runs it. Secrets are masked in all events, which are those of the record of a run (docs/record.md).
   * @param onEvent hears of everything as it happens
   * Throws where the plan is not sound.
   */
  async run(
    choices: RunChoices = {},
    onEvent: (event: RunEvent) => void = () => undefined,
  ): Promise<RunSummary> {
    const [error] = this.findings.filter(({ severity }) => severity === 'error');
    if (error) throw new Error(`${error.file}:${error.line}: ${error.message}`);
    const { seed, signal = new AbortController().signal, ...options } = choices;
    const totals = new RunTotals();
    const ports = await openPorts(this.#places, kindsIn(this.#plan), seed);
    try {
      const runDetails = seed === undefined ? {} : { runDetails: { seed } };
      const tool = `mervok ${version}`;
      await run(
        this.#plan,
        ports,
        { ...options, ...runDetails, tool, bodies: true, signal, totals },
        onEvent,
      );
    } finally {
      await ports.close();
    }
    const { passed, recorded, duration, stopped } = totals;
    return { passed, totals: recorded, duration, ...(stopped && { stopped }) };
  }
}

function toldFinding({ code, severity, source, range, message, remedy }: CoreFinding): Finding {
  const place = source.position(range.start);
  return { code, severity, file: source.file, ...place, message, ...(remedy !== undefined && { remedy }) };
}
