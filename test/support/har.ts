// Recordings of a browser, as HTTP archives (HAR 1.2).

export interface Entry {
  readonly method?: string;
  readonly url: string;
  readonly headers?: { readonly [name: string]: string };
  readonly body?: unknown;
  readonly type?: string;
  readonly status?: number;
  readonly answer?: unknown;
  readonly answered?: { readonly [name: string]: string };
  readonly kind?: string;
  readonly answerType?: string;
}

/** An archive with these entries. */
export function har(entries: readonly Entry[]): string {
  const pairs = (object: { readonly [name: string]: string } = {}) =>
    Object.entries(object).map(([name, value]) => ({ name, value }));
  return JSON.stringify({
    log: {
      version: '1.2',
      entries: entries.map(
        ({
          method = 'GET',
          url,
          headers,
          body,
          type = 'application/json',
          status = 200,
          answer,
          answered,
          kind,
          answerType = 'application/json',
        }) => ({
          _resourceType: kind,
          request: {
            method,
            url,
            headers: pairs(headers),
            cookies: [],
            ...(body !== undefined && {
              postData: { mimeType: type, text: typeof body === 'string' ? body : JSON.stringify(body) },
            }),
          },
          response: {
            status,
            headers: pairs(answered),
            content: {
              mimeType: answerType,
              ...(answer !== undefined && {
                text: typeof answer === 'string' ? answer : JSON.stringify(answer),
              }),
            },
          },
        }),
      ),
    },
  });
}
