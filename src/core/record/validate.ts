import * as z from 'zod/mini';
import type { RunEvent } from '../model/events.ts';
import { eventSchema } from './event-schema.ts';

export type IsEvent = (value: unknown) => value is RunEvent;

/**
 * What tells whether a line of a record says what it has to say; what it says more comes from a later program, and is let
 * through. Compiled, since a record may have a million lines.
 */
export async function openEventCheck(): Promise<IsEvent> {
  const { openValidator } = await import('../language/documents/schema-library.ts');
  const schema = z.toJSONSchema(eventSchema, {
    override: ({ jsonSchema }) => {
      delete jsonSchema.additionalProperties;
    },
  });
  const validator = openValidator('2020-12', { discriminator: true, strict: false });
  return validator.compile<RunEvent>({
    ...schema,
    type: 'object',
    discriminator: { propertyName: 'type' },
  }) as IsEvent;
}
