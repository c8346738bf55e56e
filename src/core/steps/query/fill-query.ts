import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { refuseValue, render, TemplateError, valueFor } from '../../language/templates/render.ts';
import type { Template } from '../../language/templates/template.ts';
import type { Excerpt } from '../../model/source.ts';
import type { Value } from '../../model/value.ts';
import type { DatabaseSetting, Dialect } from '../../settings/database.ts';
import type { OperationFault } from '../operation-port.ts';
import { bind, placeholder } from './bind-values.ts';
import type { EndedQuery, FilledDatabase, OutgoingStatement, Parameter } from './query-port.ts';
import type { SqlReference, SqlStatement } from './sql-text.ts';
import { changesRows } from './statement-rules.ts';

/** A stretch of what is sent, and where it stands in the fence. */
interface Piece {
  /** In the text that is sent. */
  readonly at: number;
  /** In the fence. */
  readonly from: number;
}

export interface FilledStatement extends OutgoingStatement {
  readonly pieces: readonly Piece[];
}

/** Puts placeholders where references stand, and values behind them. Throws TemplateError. */
export function fillStatement(
  statement: SqlStatement,
  text: string,
  dialect: Dialect,
  context: EvaluationContext,
): FilledStatement {
  const parameters: Parameter[] = [];
  const pieces: Piece[] = [{ at: 0, from: statement.start }];
  let sent = '';
  let from = statement.start;
  for (const each of statement.references) {
    sent += text.slice(from, each.start);
    const values = valuesOf(each, context);
    const placeholders = values.map(value => {
      const parameter = bind(value, each.reference, dialect, context);
      parameters.push(parameter);
      return placeholder(parameter, parameters.length, dialect);
    });
    sent += placeholders.join(', ');
    from = each.end;
    pieces.push({ at: sent.length, from });
  }
  sent += text.slice(from, statement.end);
  return { text: sent, parameters, changes: changesRows(statement), pieces };
}

/** A list becomes several where `in` asks for them; elsewhere it is JSON. */
function valuesOf({ reference, inList, compared }: SqlReference, context: EvaluationContext): Value[] {
  const value = valueFor(reference, context);
  if (inList && Array.isArray(value)) {
    if (value.length === 0) refuseValue(reference, context, 'is empty, and nothing is in an empty list');
    if (value.includes(null)) refuseValue(reference, context, "holds null, which 'in' is never true for");
    return value;
  }
  if (value === null && (inList || compared))
    refuseValue(reference, context, "is null, which nothing is equal to; 'is null' asks for it");
  return [value];
}

/** Where in the fence a character of what was sent stands. */
function placeInFence({ pieces }: FilledStatement, offset: number): number {
  const piece = pieces.findLast(({ at }) => at <= offset) ?? pieces[0]!;
  return piece.from + offset - piece.at;
}

/** A fault with its place in the page, where the database has said one. */
export function faultInPage(
  { fault, at }: Pick<EndedQuery, 'fault' | 'at'>,
  statements: readonly FilledStatement[],
  content: Excerpt,
): OperationFault | undefined {
  const statement = at && statements[at.statement];
  if (!fault || !statement) return fault;
  const offset = Math.min(placeInFence(statement, at.offset), Math.max(0, content.text.length - 1));
  const { source } = content;
  const position = source.position(content.toPage(offset));
  return { ...fault, place: { file: source.file, ...position }, line: source.lineText(position.line) };
}

/** Throws TemplateError. */
export function fillDatabase(setting: DatabaseSetting, context: EvaluationContext): FilledDatabase {
  const { name, dialect, create, connections } = setting;
  const text = (template: Template | undefined) => template && render(template, context);
  const base = { name, dialect, create, connections, tls: fillTls(setting, context) };
  if (dialect === 'sqlite') {
    const path = render(setting.database, context);
    if (path.includes('\0')) throw new TemplateError(`The path of the database '${name}' holds a NUL.`);
    return { ...base, database: setting.pathBeside(path) };
  }
  const authority = text(setting.authority) ?? '';
  const [, host, port] = /^(\[[0-9A-Fa-f:.]+\]|[\p{L}\p{N}._-]+)(?::(\d{1,5}))?$/u.exec(authority) ?? [];
  if (host === undefined || Number(port ?? 1) < 1 || Number(port ?? 1) > 65_535)
    throw new TemplateError(`'${authority}' is no host with a port, where the database '${name}' would be.`);
  const [user, password] = [text(setting.user), text(setting.password)];
  return {
    ...base,
    host: host.replace(/^\[|\]$/g, ''),
    ...(port !== undefined && { port: Number(port) }),
    database: render(setting.database, context),
    ...(user !== undefined && { user }),
    ...(password !== undefined && { password }),
  };
}

function fillTls({ tls, pathBeside }: DatabaseSetting, context: EvaluationContext): FilledDatabase['tls'] {
  if (typeof tls === 'string') return tls;
  const filled: { [key: string]: string } = {};
  for (const [key, template] of Object.entries(tls)) filled[key] = pathBeside(render(template, context));
  return filled;
}
