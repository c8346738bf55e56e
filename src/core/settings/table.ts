import { withoutPrototype } from '../text/without-prototype.ts';
import { databases } from './database-settings.ts';
import { definition } from './definition-setting.ts';
import type { LevelKind } from './level.ts';
import { organiseSettings } from './organise-settings.ts';
import { requestSettings } from './request-settings.ts';
import { runSettings } from './run-settings.ts';
import type { Reach, Setting } from './setting.ts';
import { transportSettings } from './transport-settings.ts';
import { variableSettings } from './variable-settings.ts';

/** Every setting of every level, in the order in which levels are read and laid over each other. */
export const settings: readonly Setting[] = [
  ...requestSettings,
  ...transportSettings,
  databases,
  definition,
  ...organiseSettings,
  ...runSettings,
  ...variableSettings,
];

const byKey = new Map(settings.map(setting => [setting.key, setting]));

export function settingOf(key: string): Setting | undefined {
  return byKey.get(key);
}

/** What may stand at each kind of level. */
const reaches: { readonly [kind in LevelKind]: readonly Reach[] } = {
  case: ['every'],
  page: ['every', 'page'],
  folder: ['every', 'page', 'folder'],
  root: ['every', 'page', 'folder', 'root'],
  secrets: ['every', 'page', 'folder', 'root'],
};

export function settingsAt(kind: LevelKind): readonly Setting[] {
  return settings.filter(({ reach }) => reaches[kind].includes(reach));
}

/** The keys inside a setting that is an object of its own, by the way to it. */
export const innerKeys: { readonly [way: string]: readonly string[] } = withoutPrototype(
  Object.assign({}, ...settings.map(({ keys }) => keys)),
);

/** What a setting looks like, for a value that is not of its form; by the way to it. */
export function wantedForm(way: readonly PropertyKey[]): string {
  const [key = '', ...inside] = way.map(String);
  const setting = settingOf(key);
  const inner =
    inside.length === 0 ? undefined : (setting?.innerHints?.[way.join('.')] ?? setting?.innerHint);
  return inner ?? setting?.hint ?? 'It is a text.';
}
