import { type ApiDefinition, type ApiTag, methods, type Operation, type SecurityRequirement } from './api.ts';
import type { DocumentSet, Located } from './document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member, members, textOf } from './document/json.ts';

/** A member that is an object. */
export function objectAt(holder: Located<JsonObject>, name: string): Located<JsonObject> | undefined {
  const value = member(holder.value, name);
  return isJsonObject(value) ? { value, document: holder.document } : undefined;
}

/** A member, whatever it is. */
export function valueAt(holder: Located<JsonObject>, name: string): Located | undefined {
  const value = member(holder.value, name);
  return value === undefined ? undefined : { value, document: holder.document };
}

/** The texts of a list; what else stands there is left out. */
export function textsOf(value: Json | undefined): string[] {
  return Array.isArray(value) ? value.filter(each => typeof each === 'string') : [];
}

export function readInfo({ value }: Located<JsonObject>): Pick<ApiDefinition, 'title' | 'description'> {
  const info = member(value, 'info');
  return {
    title: textOf(member(info, 'title')) ?? 'An API',
    description: textOf(member(info, 'description')),
  };
}

export function readTags({ value }: Located<JsonObject>): ApiTag[] {
  const tags = member(value, 'tags');
  if (!Array.isArray(tags)) return [];
  return tags.flatMap(each => {
    const name = textOf(member(each, 'name'));
    return name === undefined ? [] : [{ name, description: textOf(member(each, 'description')) }];
  });
}

export function readSecurity(value: Json | undefined): SecurityRequirement[] | undefined {
  if (!Array.isArray(value)) return undefined;
  return value
    .filter(isJsonObject)
    .map(each => new Map(members(each).map(([name, scopes]) => [name, textsOf(scopes)])));
}

/** Whether a key can be sent there. */
export function isKeyPlace(place: Json | undefined): place is 'query' | 'header' | 'cookie' {
  return place === 'query' || place === 'header' || place === 'cookie';
}

/** Every operation below `paths`, in the order in which they are written. */
export function readOperations(
  root: Located<JsonObject>,
  documents: DocumentSet,
  read: (
    method: string,
    path: string,
    operation: Located<JsonObject>,
    item: Located<JsonObject>,
  ) => Operation,
): Operation[] {
  const paths = objectAt(root, 'paths');
  return members(paths?.value).flatMap(([path, value]) => {
    const item = path.startsWith('/')
      ? documents.resolveObject({ value, document: paths!.document })
      : undefined;
    if (!item) return [];
    return methods.flatMap(method => {
      const operation = objectAt(item, method);
      return operation ? [read(method, path, operation, item)] : [];
    });
  });
}
