import { existsSync, readFileSync, statSync } from 'node:fs';
import { dirname, relative, resolve, sep } from 'node:path';
import { againstContract } from '../core/contract/against-contract.ts';
import { againstDefinition } from '../core/contract/against-definition.ts';
import { againstRecord } from '../core/contract/against-record.ts';
import type { Beside } from '../core/contract/broken.ts';
import { type Contract, contractSchema } from '../core/contract/contract.ts';
import { contractOf } from '../core/contract/contract-of.ts';
import { exercisedBy, relianceOf } from '../core/contract/reliance-table.ts';
import { addressOf, anywhere, type ReliedRequest, reliedRequests } from '../core/contract/relied-on.ts';
import type { ApiDefinition } from '../core/definition/api.ts';
import { Source } from '../core/model/source.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { counted } from '../core/text/words.ts';
import { collectionAround } from '../platform/collection-folder.ts';
import { read, readInside } from '../platform/files.ts';
import { findRun, readRecord } from '../platform/run-records.ts';
import { suggestPath } from '../platform/suggest-path.ts';
import { besideText, relianceText, unusedText } from '../reports/contract-text.ts';
import { createMeasure } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { writeFileOfForm } from './form-of-ending.ts';
import { noteErrors } from './list.ts';
import { type PlanFlags, type Prepared, preparePlan } from './prepare.ts';
import { rootHere } from './runs.ts';
import type { Terminal } from './terminal.ts';

export interface ContractFlags extends PlanFlags {
  readonly against?: string;
  readonly strict?: boolean;
  readonly unused?: string;
  readonly json?: boolean;
  readonly output?: string;
}

/** Says what pages rely on: as a contract, beside what a service describes or answers, or beside each other. */
export async function contractCommand(
  paths: readonly string[],
  flags: ContractFlags,
  terminal: Terminal,
): Promise<void> {
  const contracts = paths.filter(isContractFile).map(readContract);
  if (contracts.length > 0 && contracts.length < paths.length)
    throw new UsageError('Contracts and pages cannot be looked at together: name the one or the other.');
  refuseClashes(flags, contracts.length > 0);
  if (contracts.length > 0) {
    await tellReliance(contracts, flags, terminal);
    return;
  }
  const prepared = await preparePlan(paths, flags);
  const requests = reliedRequests(prepared.plan, prepared.flow, schemaIn(prepared));
  noteErrors(prepared, terminal);
  if (flags.against !== undefined) {
    await setAgainst(requests, flags.against, flags, terminal);
    return;
  }
  const contract = contractOf(prepared.plan.title, requests);
  const text = `${JSON.stringify(contract, undefined, 2)}\n`;
  if (flags.output === undefined) await tellReliance([contract], flags, terminal);
  else
    await writeFileOfForm(flags.output, text, { ...terminal, ...(flags.json && { out: () => undefined }) });
}

/** Throws UsageError. */
function refuseClashes({ strict, against, unused, output }: ContractFlags, isOfContracts: boolean): void {
  if (strict && against === undefined)
    throw new UsageError('--strict is for --against: what need not be there is a failure, too.');
  if (against !== undefined && isOfContracts)
    throw new UsageError('--against is for pages: it tells where in them something is relied on.');
  if (against !== undefined && unused !== undefined)
    throw new UsageError('--against and --unused ask for two things: give one of them at a time.');
  if (output !== undefined && (against !== undefined || unused !== undefined || isOfContracts))
    throw new UsageError('--output writes the contract of pages alone; --json prints all else for programs.');
}

/** A schema that a check names: a fence of its page, or a file beside it. What cannot be read says nothing. */
function schemaIn({ flow: { collection }, root }: Prepared) {
  return (name: string, from: string): unknown => {
    const fence = collection.pages.find(({ page }) => page.source.file === from)?.page.schemas.get(name);
    try {
      return JSON.parse(fence?.text ?? readFileSync(resolve(root, dirname(from), name), 'utf8')) as unknown;
    } catch {
      return undefined;
    }
  };
}

function isContractFile(path: string): boolean {
  return /\.json$/i.test(path) && statSync(path, { throwIfNoEntry: false })?.isFile() === true;
}

/** Throws UsageError. */
function readContract(path: string): Contract {
  const given = parsed(path);
  const { success, data, error } = contractSchema.safeParse(given);
  if (success) return data;
  const { format, version } = (given ?? {}) as { format?: unknown; version?: unknown };
  if (format === 'mervok-contract' && version !== 1)
    throw new UsageError(`'${path}' is a contract of version ${version}, and this Mervok reads 1.`);
  const [issue] = error.issues;
  const at = issue?.path.join('.') ?? '';
  throw new UsageError(
    `'${path}' is no contract${at === '' ? '' : `: ${at}: ${issue!.message}`}. One is written by: mervok contract -o harbour.contract.json`,
  );
}

function parsed(path: string): unknown {
  try {
    return JSON.parse(read(path));
  } catch (error) {
    if (error instanceof SyntaxError) return undefined;
    throw error;
  }
}

async function tellReliance(
  contracts: readonly Contract[],
  { unused, json }: ContractFlags,
  terminal: Terminal,
): Promise<void> {
  const { out, paint, width, err } = terminal;
  const view = {
    paint,
    width: Math.min(width, 120),
    measure: await createMeasure([JSON.stringify(contracts)]),
  };
  if (unused !== undefined) {
    const { file, api } = await openDefinitionFile(unused);
    const { exercisedPart, holderOf } = await import('../core/definition/index.ts');
    const holder = await holderOf(api);
    const exercised = exercisedBy(
      contracts,
      ({ method, target }) => holder.request({ method, url: addressOf(target) }, anywhere)?.operation,
    );
    const coverage = exercisedPart(api, exercised, false);
    out(
      json
        ? `${JSON.stringify({ format: 'mervok-unused', version: 1, file, ...coverage }, undefined, 2)}\n`
        : `${unusedText(coverage, file, view).join('\n')}\n`,
    );
    return;
  }
  const [only] = contracts;
  const all = relianceOf(contracts);
  if (json)
    out(
      `${JSON.stringify(contracts.length === 1 ? only : { format: 'mervok-reliance', version: 1, operations: all }, undefined, 2)}\n`,
    );
  else {
    out(`${relianceText(all, view).join('\n')}\n`);
    for (const { notFollowed } of contracts)
      if (notFollowed.length > 0)
        err(
          `${counted(notFollowed.length, 'request')} not followed, since the target is known only in a run: ${notFollowed.map(({ target }) => target).join(', ')}\n`,
        );
  }
}

async function setAgainst(
  requests: readonly ReliedRequest[],
  named: string,
  { strict = false, json }: ContractFlags,
  terminal: Terminal,
): Promise<void> {
  const { out, paint, width } = terminal;
  const beside = await besideWhat(requests, named);
  const { broken } = beside;
  if (json)
    out(
      `${JSON.stringify({ format: 'mervok-against', version: 1, against: named, ...beside }, undefined, 2)}\n`,
    );
  else {
    const view = {
      paint,
      width: Math.min(width, 120),
      measure: await createMeasure(broken.map(({ message }) => message)),
    };
    out(`${besideText(beside, named, strict, view).join('\n')}\n`);
  }
  if (broken.some(({ isFailure }) => isFailure || strict)) process.exitCode = exitCodes.failed;
}

/** A contract, a record or a definition: its content says which. Throws UsageError. */
async function besideWhat(requests: readonly ReliedRequest[], named: string): Promise<Beside> {
  const isFile = existsSync(named) && statSync(named).isFile();
  if (!isFile && /[\\/.]/.test(named))
    throw new UsageError(`There is no '${named}'.${suggestPath(named, process.cwd())}`);
  const text = isFile ? read(named) : '';
  if (!isFile || /^\s*\{"type":"run"/.test(text)) {
    const { path } = findRun(named, rootHere());
    return againstRecord(requests, readRecord(path, await openEventCheck()));
  }
  if (/"format"\s*:\s*"mervok-contract"/.test(text.slice(0, 1000)))
    return againstContract(requests, readContract(named));
  const { api } = await openDefinitionFile(named);
  const { holderOf } = await import('../core/definition/index.ts');
  return againstDefinition(requests, await holderOf(api));
}

async function openDefinitionFile(
  path: string,
): Promise<{ readonly api: ApiDefinition; readonly file: string }> {
  const absolute = resolve(path);
  const base = collectionAround(dirname(absolute)) ?? dirname(absolute);
  const file = relative(base, absolute).split(sep).join('/');
  const { openDefinition } = await import('../core/definition/index.ts');
  const { api, finding } = openDefinition(new Source(file, read(path)), each =>
    readInside({ root: base, anywhere: true }, each),
  );
  if (!api)
    throw new UsageError(
      `'${path}' is no definition, contract or record that could be used: ${finding!.message}`,
    );
  return { api, file };
}
