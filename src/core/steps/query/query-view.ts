import { AnswerView, type HandedAnswer } from '../../language/answer-view.ts';
import { Duration, type Found, Missing, type Value } from '../../model/value.ts';
import type { EndedQuery } from './query-port.ts';

const nothing = new Uint8Array();
/** About so much it takes to look at a row, in bytes. */
const weightOfRow = 200;

/** What came of a query, as statements see it. */
export class QueryView extends AnswerView {
  constructor(readonly ended: EndedQuery) {
    super({ body: nothing, size: 0, time: ended.time }, 'the query');
  }

  override get contentName(): string {
    return 'rows';
  }

  get contentType(): undefined {
    return undefined;
  }

  override get hasContent(): boolean {
    return this.ended.rows !== undefined;
  }

  override get weight(): number {
    return (this.ended.rows?.length ?? 0) * weightOfRow;
  }

  override get document(): Found {
    return (
      (this.ended.rows as Value[] | undefined) ??
      Missing.unreadable('the query returns no rows by its nature')
    );
  }

  word(word: string): Found {
    if (word === 'time') return new Duration(this.ended.time);
    if (word === 'changed')
      return this.ended.changed ?? Missing.unreadable('the query changes nothing by its nature');
    return Missing.unreadable(`${this.name} has no ${word}`);
  }

  field(form: string): Missing {
    return Missing.unreadable(`${this.name} has no ${form}`);
  }

  joins(): boolean {
    return false;
  }

  handOver(): HandedAnswer {
    const { rows, changed, time } = this.ended;
    return {
      words: {
        ...(rows && { rows: rows as Value[] }),
        ...(changed !== undefined && { changed }),
        time,
      },
      ...(rows && { document: rows as Value[] }),
    };
  }
}
