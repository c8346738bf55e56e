import { eventSchema, type RunEvent } from './events.ts';

/** Whether a line of a record says what it has to say; what it says more comes from a later program, and is let through. */
export function isEvent(value: unknown): value is RunEvent {
  const { error } = eventSchema.safeParse(value);
  return error === undefined || error.issues.every(({ code }) => code === 'unrecognized_keys');
}
