import type { Authorization } from '../../auth/authorization.ts';
import type { EvaluationContext } from '../../language/evaluation-context.ts';
import type { Field } from '../../language/templates/fields.ts';
import type { Template } from '../../language/templates/template.ts';
import type { Transport } from '../../settings/transport.ts';

/** A request that is ready to be filled, as often as its case is carried out. */
export interface PlannedRequest {
  readonly method: string;
  /** What stands before targets, where the settings say it. */
  readonly base?: Template;
  /** Without what `query` adds. Throws TemplateError. */
  readonly url: (context: EvaluationContext) => string;
  readonly query: readonly { readonly name: Template; readonly values: readonly Template[] }[];
  readonly headers: readonly { readonly name: string; readonly value: Template }[];
  /** Names of headers, in lower case, that hold secrets. */
  readonly credentials: ReadonlySet<string>;
  readonly auth?: Authorization;
  readonly body?: PlannedBody;
  readonly transport: Transport;
}

/** A body and, where no header says it, its type. Paths of files are relative to the folder of the page. */
export type PlannedBody = { readonly contentType?: string } & (
  | { readonly kind: 'text'; readonly template: Template; readonly crlf: boolean }
  | { readonly kind: 'form' | 'multipart'; readonly fields: readonly Field[]; readonly folder: string }
  | { readonly kind: 'graphql'; readonly document: string; readonly variables?: Template }
  | { readonly kind: 'file'; readonly path: Template; readonly folder: string }
);
