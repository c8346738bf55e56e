import type { Options } from 'ajv';
import Ajv from 'ajv';
import Ajv2019 from 'ajv/dist/2019.js';
import Ajv2020 from 'ajv/dist/2020.js';
import formats from 'ajv-formats';

const classes = { '2020-12': Ajv2020, '2019-09': Ajv2019, 'draft-07': Ajv };
export type Dialect = keyof typeof classes;

/** A validator for schemas of one dialect, in a part that is loaded where a page asks for it. */
export function openValidator(dialect: Dialect, options: Options): Ajv {
  const validator = new classes[dialect](options) as Ajv;
  formats(validator);
  return validator;
}
