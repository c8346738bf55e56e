import { type Answer, Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

interface Field {
  readonly name: string;
  readonly arguments: { readonly [name: string]: unknown };
  readonly fields: readonly Field[];
}

/** A view of the berths in GraphQL: fields, arguments and variables, and nothing more of the language. */
export function graph(office: Office): Route[] {
  return [
    {
      method: 'POST',
      path: '/v1/graph',
      answer: ({ body }) => {
        const { query, variables = {} } = (body ?? {}) as { query?: unknown; variables?: object };
        if (typeof query !== 'string') throw new Problem(400, 'Not readable', "'query' is missing.");
        return answer(query, variables as { [name: string]: unknown }, office);
      },
    },
  ];
}

function answer(query: string, variables: { [name: string]: unknown }, office: Office): Answer {
  try {
    const fields = new GraphReader(query, variables).document();
    const data = Object.fromEntries(fields.map(field => [field.name, resolve(field, office)]));
    return { status: 200, body: { data } };
  } catch (error) {
    return { status: 200, body: { errors: [{ message: (error as Error).message }], data: null } };
  }
}

function resolve({ name, arguments: given, fields }: Field, office: Office): unknown {
  if (name !== 'berths') throw new Error(`Cannot query field '${name}'.`);
  const { deeperThan = 0, state } = given as { deeperThan?: number; state?: string };
  return office.berths
    .filter(berth => berth.depth > deeperThan && (state === undefined || berth.state === state))
    .map(berth =>
      Object.fromEntries(
        fields.map(field => {
          if (!Object.hasOwn(berth, field.name)) throw new Error(`Cannot query field '${field.name}'.`);
          return [field.name, berth[field.name as keyof typeof berth]];
        }),
      ),
    );
}

class GraphReader {
  readonly #tokens: string[];
  #at = 0;

  constructor(
    query: string,
    readonly variables: { readonly [name: string]: unknown },
  ) {
    this.#tokens =
      query.replace(/#.*/g, '').match(/[A-Za-z_]\w*|\$\w+|"[^"]*"|-?\d[\d.]*|[{}():!=[\]]/g) ?? [];
  }

  // document :: ( query Name? ( "(" … ")" )? )? selection
  document(): Field[] {
    if (this.#peek() === 'query') {
      while (this.#peek() !== '{') this.#next();
    }
    return this.#selection();
  }

  #selection(): Field[] {
    this.#take('{');
    const fields: Field[] = [];
    while (this.#peek() !== '}') fields.push(this.#field());
    this.#take('}');
    return fields;
  }

  #field(): Field {
    const name = this.#next();
    const given: { [name: string]: unknown } = {};
    if (this.#peek() === '(') {
      this.#take('(');
      while (this.#peek() !== ')') {
        const argument = this.#next();
        this.#take(':');
        given[argument] = this.#value(this.#next());
      }
      this.#take(')');
    }
    return { name, arguments: given, fields: this.#peek() === '{' ? this.#selection() : [] };
  }

  #value(token: string): unknown {
    if (token.startsWith('$')) return this.variables[token.slice(1)];
    return /^["\d-]/.test(token) ? JSON.parse(token) : token;
  }

  #peek(): string | undefined {
    return this.#tokens[this.#at];
  }

  #next(): string {
    const token = this.#tokens[this.#at++];
    if (token === undefined) throw new Error('Syntax Error: the document ends too soon.');
    return token;
  }

  #take(wanted: string): void {
    const token = this.#next();
    if (token !== wanted) throw new Error(`Syntax Error: '${wanted}' expected, '${token}' found.`);
  }
}
