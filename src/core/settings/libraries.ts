// What reads YAML and checks its form: one part of the bundle, loaded only where there are settings.
export * from '../yaml/yaml-library.ts';
export { detailSchemas, schemaOfLevel } from './level-schema.ts';
