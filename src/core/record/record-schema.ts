import * as z from 'zod/mini';
import { recordVersion } from '../model/outcomes.ts';
import { eventSchema } from './event-schema.ts';

/** The JSON Schema (2020-12) of a line of a record, for programs that read it. */
export function recordSchema(): object {
  return {
    title: 'A line of the record of a run of Mervok',
    description: `Version ${recordVersion}. A record is NDJSON: one of these objects a line, a run first, an end last.`,
    ...z.toJSONSchema(eventSchema),
  };
}
