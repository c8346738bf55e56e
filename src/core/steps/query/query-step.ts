import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { referenceText } from '../../language/reference.ts';
import { valueFor } from '../../language/templates/render.ts';
import type { GenericOperationEvent } from '../../model/events.ts';
import type { Place } from '../../model/place.ts';
import type { Excerpt } from '../../model/source.ts';
import { Plain, type Value } from '../../model/value.ts';
import type { DatabaseSetting } from '../../settings/database.ts';
import { defaultTimeout, type Limits, type Timeout } from '../../settings/transport.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { counted } from '../../text/words.ts';
import { cut, describe } from '../../values/describe.ts';
import { writeJson } from '../../values/json-document.ts';
import { type FilledOperation, OperationStep } from '../operation.ts';
import { asked, nothing, operationEvent } from '../operation-event.ts';
import type { OperationFault } from '../operation-port.ts';
import { payloadOf } from '../payload.ts';
import { concealParts } from '../redacted-parts.ts';
import type { Repetition } from '../repetition.ts';
import type { StepPreview, StepRun } from '../step.ts';
import { type FilledStatement, faultInPage, fillDatabase, fillStatement } from './fill-query.ts';
import type { EndedQuery, OutgoingQuery } from './query-port.ts';
import { QueryView } from './query-view.ts';
import type { SqlStatement } from './sql-text.ts';
import { leavesNothing } from './statement-rules.ts';

/** A query, made ready. */
export interface PlannedQuery {
  readonly title: string;
  readonly content: Excerpt;
  readonly database: DatabaseSetting;
  readonly statements: readonly SqlStatement[];
  readonly timeout: Timeout;
  readonly limits: Limits;
}

interface FilledQuery {
  readonly outgoing: OutgoingQuery & { readonly statements: readonly FilledStatement[] };
  /** What it is given, as it is told of. */
  readonly parameters: readonly [name: string, value: string][];
}

/** A query that has been asked. */
interface AskedQuery {
  readonly filled: FilledQuery;
  readonly ended: EndedQuery;
  /** When, in milliseconds since 1970. */
  readonly at: number;
  readonly cause: 'repeat' | undefined;
  readonly view: QueryView;
  readonly fault: OperationFault | undefined;
}

/** So many rows stand on record, and so much of a parameter is told, in characters. */
const [recordedRows, longestTold] = [100, 200];

/** Asks a database. */
export class QueryStep extends OperationStep {
  readonly kind = 'query';
  readonly operation = 'sql';

  readonly #leavesNothing: boolean;

  constructor(
    readonly query: PlannedQuery,
    place: Place,
    ...more: [expectsFault: boolean, repetition: Repetition | undefined]
  ) {
    super(place, ...more);
    const { statements, content } = query;
    this.#leavesNothing = statements.every(each => leavesNothing(each, content.text));
  }

  protected fill(run: StepRun): FilledOperation {
    const filled = this.#fill(run.evaluation);
    const { password } = filled.outgoing.database;
    if (password !== undefined) run.conceal(password, 'lasting');
    return { attempt: cause => this.#ask(run, filled, cause) };
  }

  /** Throws TemplateError. */
  #fill(context: EvaluationContext): FilledQuery {
    const { database, statements, content, timeout, limits } = this.query;
    return {
      outgoing: {
        database: fillDatabase(database, context),
        statements: statements.map(each => fillStatement(each, content.text, database.dialect, context)),
        leavesNothing: this.#leavesNothing,
        timeout: timeout.total ?? defaultTimeout,
        rows: limits.rows,
      },
      parameters: this.#parameters(context),
    };
  }

  #parameters(context: EvaluationContext): [string, string][] {
    const told = new Map<string, string>();
    for (const { references } of this.query.statements)
      for (const { reference } of references)
        told.set(`{${referenceText(reference)}}`, toldParameter(valueFor(reference, context)));
    return [...told];
  }

  async #ask(
    run: StepRun,
    filled: FilledQuery,
    cause: 'repeat' | undefined,
  ): Promise<OperationFault | undefined> {
    const at = run.ports.now();
    const ended = await run.ports.operations.query.run(filled.outgoing, run.signal);
    const others = run.giveWay();
    if (others) await others;
    const view = new QueryView(ended);
    const fault = faultInPage(ended, filled.outgoing.statements, this.query.content);
    this.#tell(run, { filled, ended, at, cause, view, fault });
    run.evaluation.answer = {
      response: ended.fault ? undefined : view,
      sent: () => undefined,
      fault: ended.fault?.kind,
    };
    return fault;
  }

  #tell(run: StepRun, { filled, ended, at, cause, view, fault }: AskedQuery): void {
    const isShown = concealParts(run, () => view.document);
    const { title, content, limits, database } = this.query;
    const answer = fault ? undefined : answerOf(ended, limits.record, run.keepsBodies);
    run.emit(
      operationEvent(
        run,
        {
          kind: this.kind,
          ...{ place: this.place, at, cause },
          fault: fault && { kind: fault.kind, message: fault.message },
          times: { total: toMicrosecond(ended.time) },
          queued: ended.queued === undefined ? undefined : toMicrosecond(ended.queued),
          received: 0,
          asked: asked('sql', { title, text: content.text, most: limits.record }, [
            ['database', database.name],
            ...filled.parameters,
          ]),
          ...(answer && { answer }),
          texts: [],
        },
        isShown,
      ),
    );
  }

  preview(preview: StepPreview): void {
    const { evaluation } = preview;
    preview.show(this.place, withReferences => {
      const { outgoing } = this.#fill(evaluation);
      const { password } = outgoing.database;
      return {
        lines: {
          title: this.query.title,
          fields: withReferences([
            ['database', addressOf(outgoing.database)],
            ...this.#parameters(evaluation),
          ] as [string, string][]),
          text: this.query.content.text,
        },
        secrets: password === undefined ? [] : [password],
      };
    });
  }
}

function toldParameter(value: Value): string {
  return cut(value instanceof Plain ? value.text : describe(value), longestTold);
}

function addressOf({ name, dialect, host, port, database, user }: OutgoingQuery['database']): string {
  if (host === undefined) return `${name} (sqlite:${database})`;
  const who = user === undefined ? '' : `${user} at `;
  return `${name} (${who}${dialect}://${host}${port === undefined ? '' : `:${port}`}/${database})`;
}

/** The first rows of what came, and how many there were. */
function answerOf(
  { rows, changed }: EndedQuery,
  most: number,
  keepsRows: boolean,
): GenericOperationEvent['answer'] {
  const told = [
    ...(rows ? [counted(rows.length, 'row')] : []),
    ...(changed === undefined ? [] : [`${counted(changed, 'row')} changed`]),
  ];
  const [code = 'done', ...words] = told;
  const shown = rows?.slice(0, recordedRows) as Value[] | undefined;
  const body =
    shown && shown.length > 0 && keepsRows ? payloadOf(Buffer.from(rowsText(shown)), most) : nothing;
  const left = (rows?.length ?? 0) - (shown?.length ?? 0);
  return {
    code,
    words: words.join(', '),
    fields: left > 0 ? [['rows', `${counted(left, 'more row')} not kept here`]] : [],
    body,
  };
}

/** A row a line, so that a table stays one. */
function rowsText(rows: readonly Value[]): string {
  return `[\n${rows.map(row => `  ${writeJson(row)}`).join(',\n')}\n]`;
}
