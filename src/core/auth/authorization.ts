import type { YAMLMap } from 'yaml';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { render, TemplateError } from '../language/templates/render.ts';
import type { Template } from '../language/templates/template.ts';
import type { Header } from '../model/http-messages.ts';
import type { Form, Forms } from '../yaml/forms.ts';
import type { YamlReader } from '../yaml/yaml-reader.ts';
import type { ExchangedCredentials } from './exchanged.ts';

// What a kind of authorization is to every stage. A new kind is a folder beside this file and a line in `kinds.ts`; one
// that takes exchanges of its own has its credentials in `exchanged.ts`, and a line where those are sent.

/** A kind of authorization, as the settings have it below `auth`. */
export interface AuthKind {
  /** Its key in the settings. */
  readonly key: string;
  /** The form of what stands behind the key. */
  readonly schema: (forms: Forms) => Form;
  /** The keys inside of it, where it is an object. */
  readonly keys?: readonly string[];
  /** What they look like, for a value that is not of its form. */
  readonly hints?: { readonly [key: string]: string };
  /** Reads it; its form is checked already. What else is wrong is added to the findings. */
  read(reader: YamlReader, settings: AuthSettings): Authorization | undefined;
}

/** What stands behind the key of a kind. */
export interface AuthSettings {
  readonly node: YAMLMap;
  /** What it is a value of itself: `bearer: "{token}"`. */
  whole(): Template;
  field(key: string): Template;
}

/** How requests of a level sign in. */
export interface Authorization {
  readonly kind: string;
  /** All that it is made of, and what of that is secret. */
  readonly templates: readonly Template[];
  readonly secretTemplates: readonly Template[];
  /** Whether it speaks through the header Authorization, so that one that a level writes takes its place. */
  readonly usesHeader: boolean;
  /**
   * Whether it gives way to what a request says itself.
   * @param own names of its headers, in lower case
   */
  yieldsTo(own: ReadonlySet<string>): boolean;
  /** Throws TemplateError. */
  fill(context: EvaluationContext): FilledAuthorization;
}

/** What an authorization adds to a request. */
export interface FilledAuthorization {
  readonly headers: readonly Header[];
  /** Names and values that are added to the query. */
  readonly query: readonly Header[];
  readonly cookie?: string;
  /** What takes exchanges of its own. */
  readonly exchanged?: ExchangedCredentials;
  /** What is said of those where the request is only shown. */
  readonly note?: Header;
  /** What must not be shown. */
  readonly secrets: readonly string[];
  /** Addresses in which passwords may stand. */
  readonly addresses?: readonly string[];
}

export const nothingAdded: FilledAuthorization = { headers: [], query: [], secrets: [] };

/** `auth: none`: nothing that an outer level says. */
export const noAuthorization: Authorization = {
  kind: 'none',
  templates: [],
  secretTemplates: [],
  usesHeader: true,
  yieldsTo: () => true,
  fill: () => nothingAdded,
};

/** Of those that speak through it: a header that is written wins. */
export function yieldsToHeader(own: ReadonlySet<string>): boolean {
  return own.has('authorization');
}

export function headerText(template: Template, context: EvaluationContext): string {
  const text = render(template, context);
  if (/[\r\n\0]/.test(text))
    throw new TemplateError(
      'A value of the authorization holds a line end or a NUL, which cannot stand in a header.',
    );
  return text;
}
