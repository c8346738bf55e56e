import type { ReceivedResponse } from '../../model/http-messages.ts';
import type { Missing, Value } from '../../model/value.ts';
import { ResponseView } from '../../steps/http/response-view.ts';
import { writeJson } from '../../values/json-document.ts';

/** A response with another status, other headers or another body. */
export function withOther(
  view: ResponseView,
  other: Partial<Pick<ReceivedResponse, 'status' | 'reason' | 'headers' | 'body' | 'size'>>,
): ResponseView {
  const { trailers: _, ...received } = view.received;
  return new ResponseView({ ...received, ...other }, view.facts);
}

/** A response with another document in it; its text is written where somebody looks at it. */
export class DocumentView extends ResponseView {
  #written: string | undefined;

  constructor(
    original: ResponseView,
    readonly other: Value,
  ) {
    super(original.received, original.facts);
  }

  override get document(): Value {
    return this.other;
  }

  override get body(): string | Missing {
    this.#written ??= this.#write();
    return this.#written;
  }

  override get bytes(): Value | Missing {
    return Buffer.from(this.text);
  }

  #write(): string {
    const document = this.other;
    const isLines = /ndjson|jsonl|json-lines/i.test(this.contentType ?? '');
    if (isLines && Array.isArray(document)) return document.map(each => `${writeJson(each)}\n`).join('');
    return writeJson(document);
  }
}
