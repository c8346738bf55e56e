import { type EvaluationContext, isMadeOfSecret } from '../../language/evaluation-context.ts';
import { referencesOf, type Template } from '../../language/templates/template.ts';
import type { BodyPart, Header } from '../../model/http-messages.ts';
import type { Secrecy } from './http-port.ts';
import type { PlannedBody, PlannedRequest } from './planned-request.ts';

/** What of a request another origin must not see: by what it is made of, and by what it holds. */
export class RequestSecrecy implements Secrecy {
  constructor(
    readonly planned: PlannedRequest,
    readonly context: EvaluationContext,
    readonly holdsSecret: (text: string) => boolean,
  ) {}

  header([name, value]: Header): boolean {
    const isOfThat = (each: PlannedRequest['headers'][number]) =>
      each.name.toLowerCase() === name.toLowerCase();
    return (
      this.holdsSecret(value) || this.#reveal(this.planned.headers.filter(isOfThat).map(each => each.value))
    );
  }

  body(parts: readonly BodyPart[]): boolean {
    return (
      parts.some(part => typeof part === 'string' && this.holdsSecret(part)) ||
      (this.planned.body !== undefined && this.#reveal(templatesOf(this.planned.body)))
    );
  }

  #reveal(templates: readonly Template[]): boolean {
    return templates.flatMap(referencesOf).some(({ name }) => isMadeOfSecret(this.context.lookup(name)));
  }
}

function templatesOf(body: PlannedBody): Template[] {
  switch (body.kind) {
    case 'text':
      return [body.template];
    case 'form':
    case 'multipart':
      return body.fields.flatMap(({ name, value }) => [name, value]);
    case 'graphql':
      return body.variables ? [body.variables] : [];
    case 'file':
      return [];
    default:
      return body satisfies never;
  }
}
