import type { Difference } from '../../language/difference.ts';
import { valuesOfHeader } from '../../text/header-values.ts';
import type { ApiDefinition, ApiResponse, MediaType } from '../api.ts';
import { isJsonType, isTextType, mediaTypeFor, typeName, typesInWords } from '../media-types.ts';
import type { SchemaSet } from '../schemas/schema-set.ts';
import type { Decision } from './decide.ts';
import type { HeldExchange } from './held-exchange.ts';
import { coerce, splitSimple, typesOf } from './parameter-values.ts';

/** Looks whether a response is as it is described. */
export class ResponseLook {
  constructor(
    readonly api: ApiDefinition,
    readonly schemas: SchemaSet,
  ) {}

  look(exchange: HeldExchange, response: ApiResponse, method: string): Decision {
    const headers = this.#headers(exchange, response);
    const body = method === 'HEAD' ? { differences: [] } : this.#body(exchange, response);
    return headers.length === 0 ? body : { ...body, differences: [...headers, ...body.differences] };
  }

  #headers({ headers }: HeldExchange, response: ApiResponse): Difference[] {
    return response.headers.flatMap(({ name, required, schema, explode }) => {
      if (/^content-type$/i.test(name)) return [];
      const values = valuesOfHeader(headers, name);
      const at = `header ${name.toLowerCase()}`;
      if (values.length === 0) return required ? [{ at, expected: `the header ${name}`, found: 'none' }] : [];
      if (!schema) return [];
      const types = typesOf(schema, this.api.documents);
      const value = coerce(splitSimple(values.join(', '), types, explode), schema, this.api.documents);
      return this.schemas.differences(schema, value, at);
    });
  }

  #body({ body, status }: HeldExchange, { content, status: described }: ApiResponse): Decision {
    if (content.length === 0) {
      if (body.size === 0 || status === 204 || status === 304) return { differences: [] };
      return { differences: [], notHeld: `no body is described for the status ${described}` };
    }
    if (body.size === 0)
      return {
        differences: [{ at: 'body', expected: `a body of ${typesInWords(content)}`, found: 'none' }],
      };
    const media = mediaTypeFor(content, body.contentType);
    if (!media) {
      const expected = typesInWords(content);
      return { differences: [{ at: 'header content-type', expected, found: body.contentType ?? 'none' }] };
    }
    return this.#content(body, media, described);
  }

  #content(body: HeldExchange['body'], { schema, type }: MediaType, described: string): Decision {
    if (!schema) return { differences: [], notHeld: `no schema is described for the status ${described}` };
    if (body.unreadable !== undefined) return { differences: [], notHeld: body.unreadable };
    const name = typeName(body.contentType ?? type);
    if (isJsonType(name)) {
      const json = body.json();
      if ('reason' in json)
        return { differences: [{ at: 'body', expected: 'a JSON document', found: json.reason }] };
      return { differences: this.schemas.differences(schema, json.value, '$') };
    }
    const text =
      isTextType(name) && typesOf(schema, this.api.documents).has('string') ? body.text() : undefined;
    if (text !== undefined) return { differences: this.schemas.differences(schema, text, 'body') };
    return { differences: [], notHeld: `a body of ${name} cannot be looked at by its schema` };
  }
}
