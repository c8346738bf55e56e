import { codingFunctions } from './codings.ts';
import { timeFunctions } from './instants.ts';
import { numberFunctions } from './numbers.ts';
import type { FunctionGroup, LanguageFunction } from './signature.ts';
import { textFunctions } from './texts.ts';

/** Every function of the language by its name. To add one: a line in its group, one in docs/language.md, a test. */
export const functions: FunctionGroup = Object.assign(
  Object.create(null),
  {
    uuid: {
      parameters: [],
      result: 'text',
      apply: (_, clockAndRandom) => clockAndRandom.uuid(),
    } satisfies LanguageFunction,
  },
  textFunctions,
  numberFunctions,
  timeFunctions,
  codingFunctions,
);
