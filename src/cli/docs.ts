import { existsSync, lstatSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { basename, join, relative } from 'node:path';
import type { RunEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Missing } from '../core/model/value.ts';
import { CaseGrouping } from '../core/record/case-grouping.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { addKnownSecrets } from '../core/runner/known-secrets.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { NamedValues } from '../core/secrecy/named-values.ts';
import { counted } from '../core/text/words.ts';
import { attempt, readBytesInside, whyNotInside } from '../platform/files.ts';
import { secretFile } from '../platform/find-collection.ts';
import { makeFolder } from '../platform/make-folder.ts';
import { findRun, readRecord } from '../platform/run-records.ts';
import { writeBelow } from '../platform/write-below.ts';
import { laidOutBody } from '../reports/laid-out-body.ts';
import { buildSite, type SiteChoices, type SiteFile } from '../site/site.ts';
import { type CaseOutcome, type RecordedAnswer, siteModel } from '../site/site-model.ts';
import { type PlanFlags, type Prepared, preparePlan, printFindings, refusedByErrors } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface DocsFlags extends PlanFlags {
  readonly output?: string;
  readonly run?: string;
}

/** Lists what this command has written into a folder, so that it may write it anew. */
const listFile = '.mervok-docs';

/** Writes a collection as a site. */
export async function docsCommand(
  paths: readonly string[],
  flags: DocsFlags,
  terminal: Terminal,
): Promise<void> {
  const { output } = flags;
  if (output === undefined) throw new UsageError('Where the site goes is missing: -o DIR');
  const prepared = await preparePlan(paths, flags);
  const { plan, root, external, findings } = prepared;
  if (await refusedByErrors(findings, terminal)) return;
  refuseOther(output);
  const choices: SiteChoices = {
    mayCopy: path => mayCopy(root, path),
    ...(flags.run !== undefined && (await outcomesOf(flags.run, root))),
  };
  const masker = new Masker();
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), external);
  const model = siteModel(prepared, titleOf(prepared), text => masker.text(text));
  const { files, findings: nowhere } = buildSite(model, choices);
  writeSite(files, output, root);
  if (nowhere.length > 0) await printFindings(nowhere, terminal);
  terminal.out(`written  ${join(output, model.index)}, ${counted(model.pages.length, 'page')}\n`);
}

/** What an earlier site had besides is taken away; files that this command did not write are left. */
function writeSite(files: readonly SiteFile[], output: string, root: string): void {
  const before = filesBefore(output);
  const paths = new Set(files.map(({ path }) => path));
  try {
    makeFolder(output);
  } catch (error) {
    throw new UsageError(`'${output}' cannot be written: ${(error as Error).message}`);
  }
  // Should it not come to its end, the next one still knows all.
  write(output, listFile, [...new Set([...before, ...paths])].join('\n'));
  for (const file of files) {
    const content = 'text' in file ? file.text : readBytesInside({ root, anywhere: false }, file.copyOf);
    if (content instanceof Missing) throw new UsageError(`${content.reason}.`);
    write(output, file.path, content);
  }
  for (const path of before) if (!paths.has(path)) remove(output, path);
  write(output, listFile, [...paths].join('\n'));
}

function filesBefore(output: string): string[] {
  const list = join(output, listFile);
  return existsSync(list) ? attempt(list, path => readFileSync(path, 'utf8')).split('\n') : [];
}

function write(output: string, path: string, content: string | Uint8Array): void {
  const before = contentOf(join(output, path));
  if (before?.equals(typeof content === 'string' ? Buffer.from(content) : content)) return;
  writeBelow(output, { path, content, replaces: before !== undefined, secret: false });
}

function contentOf(path: string): Buffer | undefined {
  return lstatSync(path, { throwIfNoEntry: false })?.isFile()
    ? attempt(path, each => readFileSync(each))
    : undefined;
}

/** Somebody may have changed the list: only a file within the folder goes. */
function remove(output: string, path: string): void {
  const absolute = join(output, path);
  if (relative(output, absolute).startsWith('..')) return;
  if (lstatSync(absolute, { throwIfNoEntry: false })?.isFile()) rmSync(absolute, { force: true });
}

/** Without a title of its own, a site of one page is called like it, one of many like the folder that it was made from. */
function titleOf({ flow, named, root }: Prepared): string {
  const [first, ...others] = named;
  return flow.collection.root.title ?? (first && others.length === 0 ? first.title : basename(root));
}

/** A folder that holds something else is left alone. */
function refuseOther(output: string): void {
  const found = statSync(output, { throwIfNoEntry: false });
  if (!found) return;
  if (!found.isDirectory()) throw new UsageError(`'${output}' is no folder.`);
  if (readdirSync(output).length > 0 && !existsSync(join(output, listFile)))
    throw new UsageError(
      `'${output}' holds other files; nothing was written. Name a folder that is new or empty.`,
    );
}

/** Nothing that nobody may see, and nothing of Mervok itself. */
function mayCopy(root: string, path: string): boolean {
  const name = path.replace(/^.*\//, '');
  if (name === secretFile || name === 'mervok.yaml' || path.split('/').some(part => part.startsWith('.')))
    return false;
  return whyNotInside({ root, anywhere: false }, path) === undefined && !/\.(?:pem|key|p12|pfx)$/i.test(name);
}

async function outcomesOf(named: string, root: string): Promise<Pick<SiteChoices, 'outcomes' | 'ran'>> {
  const { id, path } = findRun(named, root);
  const outcomes = new Map<string, CaseOutcome>();
  const grouping = new CaseGrouping(event => event.type === 'exchange');
  for await (const event of readRecord(path, await openEventCheck())) {
    const ended = grouping.add(event);
    if (!ended) continue;
    const { event: own, operations } = ended;
    const before = outcomes.get(own.case);
    if (before && before.outcome !== 'passed') continue;
    outcomes.set(own.case, { outcome: own.outcome, answers: operations.flatMap(answerIn) });
  }
  return { outcomes, ran: `The outcomes are those of the run ${id}.` };
}

function answerIn(event: RunEvent): RecordedAnswer[] {
  if (event.type !== 'exchange' || !event.response || event.part) return [];
  const { status, reason, headers, body } = event.response;
  const type = headers.filter(([name]) => name.toLowerCase() === 'content-type');
  const lines = [
    `HTTP/1.1 ${status} ${reason}`.trim(),
    ...type.map(([name, value]) => `${name}: ${value}`),
    ...(body.text === undefined ? [] : ['', laidOutBody(body.text, 88, [], part => part)]),
  ];
  return [{ line: event.place.line, text: lines.join('\n') }];
}
