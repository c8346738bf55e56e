import { AnswerView, type HandedAnswer } from '../../language/answer-view.ts';
import { Duration, type Found, Missing } from '../../model/value.ts';
import type { EndedCommand } from './command-port.ts';

/** What came of a command, as statements see it. */
export class CommandView extends AnswerView {
  constructor(
    readonly ended: EndedCommand,
    /** Whether its output is always a list of lines. */
    readonly lines: boolean,
  ) {
    super({ body: ended.output, size: ended.output.length, time: ended.time }, 'the command');
  }

  override get contentName(): string {
    return 'output';
  }

  protected override get bodyWord(): string {
    return 'output';
  }

  get contentType(): undefined {
    return undefined;
  }

  word(word: string): Found {
    if (word === 'exit') return this.ended.exit ?? Missing.unreadable('the command did not end by itself');
    if (word === 'time') return new Duration(this.ended.time);
    return Missing.unreadable(`${this.name} has no ${word}`);
  }

  field(form: string): readonly string[] | Missing {
    const bytes = form === 'output' ? this.ended.output : form === 'errors' ? this.ended.errors : undefined;
    if (!bytes) return Missing.unreadable(`${this.name} has no ${form}`);
    try {
      return [withoutLastEnds(new TextDecoder('utf-8', { fatal: true }).decode(bytes))];
    } catch {
      return Missing.unreadable(`'${form}' is no text in UTF-8`);
    }
  }

  handOver(): HandedAnswer {
    const [output, errors] = [this.field('output'), this.field('errors')];
    return {
      words: {
        ...(this.ended.exit !== undefined && { exit: this.ended.exit }),
        ...(!(output instanceof Missing) && { output: output[0]! }),
        ...(!(errors instanceof Missing) && { errors: errors[0]! }),
        time: this.ended.time,
      },
      content: this.ended.output,
      ...(this.lines && !(this.document instanceof Missing) && { document: this.document }),
    };
  }

  joins(): boolean {
    return false;
  }

  get remark(): string | undefined {
    const errors = this.field('errors');
    return errors instanceof Missing || errors[0] === '' ? undefined : errors[0];
  }

  override get document(): Found {
    if (!this.lines) return super.document;
    const output = this.field('output');
    if (output instanceof Missing) return output;
    const [text] = output as [string];
    return text === '' ? [] : text.split('\n').map(line => line.replace(/\r$/, ''));
  }
}

/** As the shell itself takes what a command puts out. */
function withoutLastEnds(text: string): string {
  return text.replace(/[\r\n]+$/, '');
}
