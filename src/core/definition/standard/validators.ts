/// <reference path="./openapi-standard.d.ts" />
// The schemas of the standard, made into code by scripts/packages/standard-schemas.mjs; in a part of the bundle of its own.
import of20 from 'openapi-standard:2.0';
import of30 from 'openapi-standard:3.0';
import of31 from 'openapi-standard:3.1';

export const validators = { '2.0': of20, '3.0': of30, '3.1': of31 };
