// What other notations have: a part of the bundle that is loaded only where something cannot be read.
export { remedyOf } from '../language/other-notations/remedy.ts';
export { settingMeant } from '../settings/other-settings.ts';
