/** Any value of JSON; definitions are read by doubles, as the standard's own schemas are. */
export type Json = string | number | boolean | null | Json[] | JsonObject;

export interface JsonObject {
  [name: string]: Json;
}

export function isJsonObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
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
