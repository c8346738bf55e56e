import type { ReceivedRequest } from './received-request.ts';

/** Addresses of the place that a text is from lead to where this is asked. */
export function atThisHost(text: string, origin: string | undefined, request: ReceivedRequest): string {
  const host = request.header('host');
  if (origin === undefined || host === undefined || !text.includes(origin)) return text;
  return text
    .split(origin)
    .reduce((before, behind) => `${before}${/^[\w.:-]/.test(behind) ? origin : `http://${host}`}${behind}`);
}
