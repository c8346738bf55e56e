// What reads YAML; a part of the bundle that is loaded only where there are settings.
export { isMap, isScalar, isSeq, parseDocument } from 'yaml';
