// What reads YAML and checks its form: one part of the bundle, loaded only where there are settings.
export { isMap, isScalar, isSeq, parseDocument } from 'yaml';
export { authSchema, levelSchemas } from './level-schema.ts';
