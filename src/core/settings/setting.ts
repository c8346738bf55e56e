import type { Node } from 'yaml';
import type { Check } from '../language/ast.ts';
import type { SourceError } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import type { Form, Forms } from '../yaml/forms.ts';
import type { YamlReader } from '../yaml/yaml-reader.ts';
import type { EffectiveDraft } from './effective.ts';
import type { Level, LevelKind } from './level.ts';

/** Where a setting may stand: at every level; on pages and above; in every mervok.yaml; in the one at the root. */
export type Reach = 'every' | 'page' | 'folder' | 'root';

/** A key of the settings: everything that is said of it. */
export interface Setting {
  readonly key: string;
  readonly reach: Reach;
  /** Its form, where it is not null. */
  readonly schema: (forms: Forms) => Form;
  /** The form of its object, where that is looked at in a second step. */
  readonly details?: (forms: Forms) => Form;
  /** The keys inside of it, by the way to the object that they stand in. */
  readonly keys?: { readonly [way: string]: readonly string[] };
  /** What it looks like, for a value that is not of its form. */
  readonly hint?: string;
  /** The same for what stands inside, by the way to it; or for all that does. */
  readonly innerHints?: { readonly [way: string]: string };
  readonly innerHint?: string;
  /** What it does, as the reference of the language has it. */
  readonly docs: string;
  /** What it says of its level. Its form is checked already; what else is wrong is added to the findings. */
  read(node: Node, reader: SettingReader): Partial<Level>;
  /** Lays what a level says over what outer ones do; nothing where it does not hold for requests and cases. */
  merge?(effective: EffectiveDraft, level: Level): void;
}

/** What settings are read with: the level that they stand in. */
export interface SettingReader extends YamlReader {
  /** As messages name it. */
  readonly name: string;
  readonly kind: LevelKind;
  readonly readChecks: ReadChecks;
}

/** Reads the conditions of `checks`. */
export type ReadChecks = (excerpt: Excerpt) => { checks: Check[]; errors: SourceError[] };
