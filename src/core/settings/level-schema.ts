import * as z from 'zod/mini';
import { scalar } from '../auth/forms.ts';
import type { LevelKind } from './level.ts';
import type { Forms, Setting } from './setting.ts';
import { settings, settingsAt } from './table.ts';

// A schema is used once or twice in a run; making code of it first takes longer than using it.
z.config({ jitless: true });

const forms: Forms = { z, scalar: scalar(z), amount: z.union([z.string(), z.number()]) };

/** A value that is null takes away what an outer level has set. */
const formOf = ({ schema }: Setting) => z.optional(z.nullable(schema(forms)));
const byKey = new Map(settings.map(setting => [setting.key, formOf(setting)]));

function schemaAt(kind: LevelKind) {
  return z.strictObject(Object.fromEntries(settingsAt(kind).map(({ key }) => [key, byKey.get(key)!])));
}

/** The settings of each kind of level. */
export const levelSchemas: { readonly [kind in LevelKind]: ReturnType<typeof schemaAt> } = {
  root: schemaAt('root'),
  secrets: schemaAt('secrets'),
  folder: schemaAt('folder'),
  page: schemaAt('page'),
  case: schemaAt('case'),
};

/** The forms of objects that are looked at in a second step, by the key of their setting. */
export const detailSchemas = new Map(
  settings.flatMap(({ key, details }) => (details ? [[key, details(forms)] as const] : [])),
);
