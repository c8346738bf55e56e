import { tuneRequests } from '../tuning.ts';

/** Loads the HTTP client; not before the first request is about to be sent. */
export function loadClient(): Promise<typeof import('./client.ts')> {
  tuneRequests();
  return import('./client.ts');
}
