import type { Difference } from '../../language/difference.ts';
import type { PartStep } from '../../values/document-parts.ts';
import type { DescribedPart } from '../described-part.ts';

// What the definition of an API is asked about an exchange, and what it says: plain data.

/** A request as it was sent, and the response that came. */
export interface HeldExchange {
  readonly method: string;
  readonly url: string;
  readonly sent: {
    readonly headers: readonly (readonly [name: string, value: string])[];
    /** As text; nothing where there is none, or where it was made of files. */
    readonly body?: string;
    readonly hasBody: boolean;
  };
  readonly status: number;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: {
    readonly size: number;
    readonly contentType: string | undefined;
    /** Why it cannot be looked at: it was put into a file. */
    readonly unreadable?: string;
    /** As a JSON document, numbers as doubles; else why it is none. */
    json(): { readonly value: unknown } | { readonly reason: string };
    /** As text; nothing where it cannot be read. */
    text(): string | undefined;
  };
}

/** What an exchange is in a definition. */
export interface Described {
  /** `GET /berths/{berth}` */
  readonly operation?: string;
  /** As it is described: `200`, `4XX`, `default`. */
  readonly status?: string;
  /** Of the request, as `query state`. */
  readonly parameters: readonly string[];
  /** Of its body, as `captain.name`. */
  readonly members: readonly string[];
}

/** What a definition says of an exchange. */
export interface Held extends Described {
  /** Why it could not be held to the definition; nothing where it was. */
  readonly notHeld?: string;
  /** Everything in which it is not as described. */
  readonly differences: readonly Difference[];
  /** Why it could not be decided whether it is as described. */
  readonly undecided?: string;
  /** What is not described, and no defect. */
  readonly notes: readonly string[];
}

/** A request alone. */
export type HeldRequest = Pick<HeldExchange, 'method' | 'url' | 'sent'>;

/** An answer that fits a definition, made of its examples and schemas. */
export interface SampledAnswer {
  /** `GET /berths/{berth}` */
  readonly operation: string;
  readonly status: number;
  readonly contentType?: string;
  readonly text?: string;
}

/** What a definition says of the answers to a request with one status. */
export interface DescribedAnswer {
  /** In lower case: all that are described, and whether they have to be there. */
  readonly headers: ReadonlyMap<string, { readonly required: boolean }>;
  /** What it says of a part of the body; nothing where that is not described. */
  part(way: readonly PartStep[]): DescribedPart | undefined;
}

/** What a definition says of a request. */
export interface DescribedRequest {
  /** `GET /berths/{berth}` */
  readonly operation: string;
  /** Those that have to be there: `query state`. */
  readonly requiredParameters: readonly string[];
  /** Members that a JSON body has to have: `nights`. */
  readonly requiredMembers: readonly string[];
  /** The statuses that are described: `200`, `4XX`, `default`. */
  readonly statuses: readonly string[];
}

/** A definition that exchanges are held to. */
export interface Holder {
  /** @param at the address that its paths count from */
  hold(exchange: HeldExchange, at: string): Held;
  /** What an exchange is in the definition, whatever came of it; nothing where it is none of its operations. */
  describe(exchange: Omit<HeldExchange, 'body'>, at: string): Described | undefined;
  /** What of a request is not as it is described; nothing where it is none of the operations. */
  faults(request: HeldRequest, at: string): readonly Difference[] | undefined;
  /** What it says of a request to such an address; nothing where it is none of the operations. */
  request(request: Pick<HeldExchange, 'method' | 'url'>, at: string): DescribedRequest | undefined;
  /** What it says of such an answer, as JSON where no type is named; nothing where that is not described. */
  answer(
    exchange: Pick<HeldExchange, 'method' | 'url' | 'status'> & Pick<HeldExchange['body'], 'contentType'>,
    at: string,
  ): DescribedAnswer | undefined;
  /** An answer to a request that says that all is well; nothing where it is none of the operations. */
  sample(request: Pick<HeldRequest, 'method' | 'url'>, at: string): SampledAnswer | undefined;
  /** SHA-256 of all its files, as hexadecimal digits. */
  readonly hash: string;
}
