import type { Exact } from '../core/model/value.ts';

// What an import comes to, before it is written as pages: data of a definition or a recording, none of it markup.

export interface ImportedCollection {
  readonly title: string;
  readonly description?: string | undefined;
  /** What stands before every target, in words of the settings; without it targets are whole. */
  readonly base?: string;
  readonly environments: readonly ImportedEnvironment[];
  readonly auth?: ImportedAuth;
  /** The file that exchanges are held to, as the settings name it. */
  readonly definition?: string;
  readonly namespaces?: readonly (readonly [prefix: string, name: string])[];
  readonly pages: readonly ImportedPage[];
  /** Small files that requests send; what is not known of them is made up. */
  readonly files?: readonly ImportedSample[];
  readonly secrets: readonly ImportedSecret[];
  /** What was left out, as sentences. */
  readonly notes: readonly string[];
}

/** What a variable is given; its digits stand as they do in the definition. */
export type ImportedScalar = string | number | boolean | Exact;

export interface ImportedSample {
  readonly path: string;
  readonly text?: string;
}

export interface ImportedEnvironment {
  readonly name: string;
  readonly about?: string | undefined;
  readonly variables: readonly (readonly [name: string, value: string])[];
  /** Whether it is the one that counts where none is chosen: its server is this machine. */
  readonly isDefault: boolean;
}

/** How a level signs in: a key of the setting `auth`, and its parts, in which secrets are references. */
export type ImportedAuth =
  | { readonly kind: 'none' }
  | { readonly kind: 'bearer'; readonly value: string }
  | {
      readonly kind: 'basic' | 'digest' | 'api-key' | 'oauth2';
      readonly fields: readonly (readonly [string, string])[];
    };

export interface ImportedSecret {
  readonly name: string;
  /** What it is for. */
  readonly about: string;
  /** Where it is known: of a recording. */
  readonly value?: string;
}

export interface ImportedPage {
  /** The name of its file, without its ending: letters, digits and dashes. */
  readonly slug: string;
  readonly title: string;
  readonly description?: string | undefined;
  readonly auth?: ImportedAuth;
  /** Where it is another one than that of the collection. */
  readonly base?: string;
  /** Where they are not those of the collection. */
  readonly namespaces?: ImportedCollection['namespaces'];
  /** Headers of all its requests. */
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** Values as YAML has them. */
  readonly variables: readonly (readonly [name: string, value: ImportedScalar])[];
  readonly cases: readonly ImportedCase[];
}

export interface ImportedCase {
  readonly title: string;
  readonly description?: string | undefined;
  /** Where it is another one than that of its page. */
  readonly base?: string;
  readonly auth?: ImportedAuth;
  /** Values that its page does not give yet. */
  readonly values?: ImportedPage['variables'];
  /** Whether it runs at the end, behind all that needs what it takes away. */
  readonly cleansUp?: true;
  /** Whether a redirect is what is to come, so none is followed. */
  readonly staysHere?: true;
  readonly request: ImportedRequest;
  readonly example?: ImportedExample;
  /** Statements of the language, ready. */
  readonly statements: readonly string[];
}

export interface ImportedRequest {
  readonly method: string;
  /** With references where values go in; other braces are encoded. */
  readonly target: string;
  /** Values with references; other braces stand behind a backslash. */
  readonly headers: readonly (readonly [name: string, value: string])[];
  /** What is too long to be read in the target: a line each, `name = value`. */
  readonly query?: string;
  /** The same; `form` is the word of its fence, and without one it stands below the head. */
  readonly body?: {
    readonly form?: 'form' | 'multipart' | 'text' | 'graphql';
    readonly text: string;
    /** JSON, beside a document of GraphQL, which has no references itself. */
    readonly variables?: string;
  };
}

export interface ImportedExample {
  readonly status: string;
  readonly contentType?: string;
  /** With braces as in a request. */
  readonly body?: string;
}
