import { Exact } from '../../model/value.ts';

/**
 * Any value of JSON. Definitions are read by doubles, as the standard's own schemas are; a number with more digits is one
 * only where it is to be written as it is (`DefinitionDocument.exact`).
 */
export type Json = string | number | boolean | null | Exact | Json[] | JsonObject;

export interface JsonObject {
  [name: string]: Json;
}

export function isJsonObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Exact);
}

/** A member that an object has itself. */
export function member(object: Json | undefined, name: string): Json | undefined {
  return isJsonObject(object) && Object.hasOwn(object, name) ? object[name] : undefined;
}

/** The members that an object has itself; of anything else none. */
export function members(object: Json | undefined): [string, Json][] {
  return isJsonObject(object) ? Object.entries(object) : [];
}

export function textOf(value: Json | undefined): string | undefined {
  return typeof value === 'string' ? value : undefined;
}
