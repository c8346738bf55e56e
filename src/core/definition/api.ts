import type { DocumentSet, Located } from './document/document-set.ts';
import type { Json, JsonObject } from './document/json.ts';

// What a definition says of an API, in one form for OpenAPI 2.0, 3.0 and 3.1.

export type OpenApiVersion = '2.0' | '3.0' | '3.1';

export interface ApiDefinition {
  readonly version: OpenApiVersion;
  readonly documents: DocumentSet;
  readonly root: Located<JsonObject>;
  readonly title: string;
  readonly description: string | undefined;
  readonly servers: readonly ApiServer[];
  readonly tags: readonly ApiTag[];
  /** In the order in which they are written. */
  readonly operations: readonly Operation[];
  /** By their names. */
  readonly securitySchemes: ReadonlyMap<string, SecurityScheme>;
  /** What holds for operations that do not say it themselves. */
  readonly security: readonly SecurityRequirement[] | undefined;
}

export interface ApiServer {
  /** With its variables filled by their defaults. */
  readonly url: string;
  readonly description: string | undefined;
  readonly located: Located<JsonObject>;
}

export interface ApiTag {
  readonly name: string;
  readonly description: string | undefined;
}

export interface Operation {
  /** In capital letters. */
  readonly method: string;
  /** As it is written: `/berths/{berth}`. */
  readonly path: string;
  readonly id: string | undefined;
  readonly tags: readonly string[];
  readonly summary: string | undefined;
  readonly description: string | undefined;
  readonly deprecated: boolean;
  /** Its own, and those of its path that it does not name itself. */
  readonly parameters: readonly Parameter[];
  readonly body: RequestBody | undefined;
  /** By their status: `200`, `4XX`, `default`. */
  readonly responses: ReadonlyMap<string, ApiResponse>;
  /** One of these has to be fulfilled; of none in the list nothing is wanted. */
  readonly security: readonly SecurityRequirement[] | undefined;
  readonly servers: readonly ApiServer[] | undefined;
  readonly located: Located<JsonObject>;
  /** What holds its path, for the place where that is named. */
  readonly pathItem: Located<JsonObject>;
}

export type ParameterPlace = 'path' | 'query' | 'header' | 'cookie';

export interface Parameter {
  readonly name: string;
  readonly in: ParameterPlace;
  readonly required: boolean;
  readonly description: string | undefined;
  readonly schema: Located | undefined;
  /** Where it is one document, such as JSON. */
  readonly mediaType: MediaType | undefined;
  /** How lists and objects are written. */
  readonly style: ParameterStyle;
  readonly explode: boolean;
  readonly located: Located<JsonObject>;
}

export type ParameterStyle =
  | 'simple'
  | 'form'
  | 'label'
  | 'matrix'
  | 'spaceDelimited'
  | 'pipeDelimited'
  | 'tabDelimited'
  | 'deepObject';

export interface RequestBody {
  readonly required: boolean;
  readonly content: readonly MediaType[];
  readonly located: Located<JsonObject>;
}

export interface MediaType {
  /** As it is written: `application/json`, `text/*`. */
  readonly type: string;
  readonly schema: Located | undefined;
  /** Examples of the whole, wherever the standard has them. */
  readonly examples: readonly ApiExample[];
  readonly located: Located<JsonObject>;
}

export interface ApiExample {
  readonly name: string | undefined;
  readonly value: Json;
  /** What holds it, and under which name. */
  readonly holder: Located<JsonObject>;
  readonly key: string;
}

export interface ApiResponse {
  readonly status: string;
  readonly description: string | undefined;
  readonly headers: readonly ApiHeader[];
  readonly content: readonly MediaType[];
  /** By their names. */
  readonly links: ReadonlyMap<string, Located<JsonObject>>;
  readonly located: Located<JsonObject>;
}

export interface ApiHeader {
  readonly name: string;
  readonly required: boolean;
  readonly schema: Located | undefined;
  readonly explode: boolean;
  readonly located: Located<JsonObject>;
}

/** Schemes that all have to be fulfilled, by their names, with the scopes that are wanted. */
export type SecurityRequirement = ReadonlyMap<string, readonly string[]>;

export interface SecurityScheme {
  readonly name: string;
  readonly kind: 'api-key' | 'basic' | 'bearer' | 'digest' | 'oauth2' | 'openid' | 'certificate' | 'other';
  /** Of a key: where it stands, and what it is called. */
  readonly key?: { readonly in: 'query' | 'header' | 'cookie'; readonly name: string };
  readonly located: Located<JsonObject>;
}

/** `GET /berths/{berth}` */
export function operationTitle({ method, path }: Pick<Operation, 'method' | 'path'>): string {
  return `${method} ${path}`;
}

export const methods: readonly string[] = [
  'get',
  'post',
  'put',
  'patch',
  'delete',
  'head',
  'options',
  'trace',
];
