import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { CaseEvent, CheckEvent, GenericOperationEvent, RunEvent } from '../../src/core/model/events.ts';
import { type Ended, mervok } from './program.ts';

/** What became of the cases of a page, by their titles. */
export interface RanCases extends Ended {
  readonly events: readonly RunEvent[];
  of(title: string): RanCase;
}

export interface RanCase {
  readonly event: CaseEvent;
  readonly operations: readonly GenericOperationEvent[];
  readonly checks: readonly CheckEvent[];
  /** Its outcome, and why: the problem, or what of its first check that does not hold was found. */
  readonly told: string;
}

/** Runs a folder by the built program, and reads the record. */
export async function runCases(
  folder: string,
  args: readonly string[] = [],
  environment: { [name: string]: string } = {},
): Promise<RanCases> {
  const ended = await mervok(folder, ['run', '-o', 'run.ndjson', ...args], environment);
  const text = (() => {
    try {
      return readFileSync(join(folder, 'run.ndjson'), 'utf8');
    } catch {
      throw new Error(`${ended.out}${ended.err}`);
    }
  })();
  const events = text
    .trimEnd()
    .split('\n')
    .map(line => JSON.parse(line) as RunEvent);
  const of = (title: string): RanCase => {
    const event = events.find((each): each is CaseEvent => each.type === 'case' && each.title === title);
    if (!event) throw new Error(`There is no case '${title}': ${ended.out}${ended.err}`);
    const own = events.filter(each => 'case' in each && each.case === event.case);
    const checks = own.filter((each): each is CheckEvent => each.type === 'check');
    const operations = own.filter((each): each is GenericOperationEvent => each.type === 'operation');
    const failing = checks.find(({ holds }) => holds !== 'yes');
    const why = event.problem?.message ?? (failing && `${failing.text}: ${failing.found}`);
    return { event, operations, checks, told: [event.outcome, why].filter(Boolean).join(': ') };
  };
  return { ...ended, events, of };
}

/** A page with a case for each title, behind which its fences stand. */
export function pageOf(
  cases: Iterable<readonly [title: string, fences: string, ...more: unknown[]]>,
): string {
  return [...cases].map(([title, fences]) => `## ${title}\n\n${fences}\n`).join('\n');
}

export function fence(info: string, text: string): string {
  return `~~~${info}\n${text}\n~~~\n`;
}

/** The settings of a case that is to take longer than it may: others keep limits that a busy machine does not reach. */
export const within = (limit: string): string => fence('yaml settings', `timeout: ${limit}`);
