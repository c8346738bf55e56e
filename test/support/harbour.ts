import type { TestContext } from 'node:test';
import { caseText, cleaning } from './collection.ts';
import { serve } from './server.ts';

/** What an answer is, and how long it takes, in milliseconds. */
export interface Answered {
  readonly status?: number;
  readonly takes?: number;
  readonly body?: unknown;
}

export interface Seen {
  readonly what: string;
  /** In milliseconds since 1970. */
  readonly at: number;
}

/** A server that notes what comes, and answers as it is told to; with nothing it breaks the connection. */
export async function harbour(
  t: TestContext,
  answer: (what: string, count: number) => Answered | undefined = () => ({}),
): Promise<{ origin: string; seen: Seen[]; countOf(what: string): number }> {
  const seen: Seen[] = [];
  const origin = await serve(t, (request, response) => {
    const what = `${request.method} ${request.url}`;
    seen.push({ what, at: Date.now() });
    const answered = answer(what, seen.length);
    if (!answered) {
      request.socket.destroy();
      return;
    }
    const { status = 200, takes = 0, body = {} } = answered;
    setTimeout(
      () => response.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(body)),
      takes,
    );
  });
  return { origin, seen, countOf: what => seen.filter(each => each.what === what).length };
}

/** A page that makes something, looks at it so many times, and removes it. */
export function berthPage(name: string, looks: number): string {
  const cases = Array.from({ length: looks }, (_, index) =>
    caseText(`Look at ${name} ${index + 1}`, `GET /${name}/${index + 1}`, 'status = 200'),
  );
  const clean = cleaning(caseText(`Leave ${name}`, `DELETE /${name}`, 'status = 200'));
  return [
    `# Berth ${name}`,
    caseText(`Reserve ${name}`, `POST /${name}`, 'status = 200'),
    ...cases,
    clean,
  ].join('\n\n');
}
