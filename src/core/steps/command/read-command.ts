import type { Reference } from '../../language/ast.ts';
import { isName } from '../../language/reference.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import { didYouMean } from '../../text/words.ts';
import type { OperationFence, ReadOperation, WrittenStep } from '../step.ts';

/** A command as a page has it. */
export interface WrittenCommand extends WrittenStep {
  readonly type: 'command';
  readonly content: Excerpt;
  /** Whether its output is always a list of lines. */
  readonly lines: boolean;
  readonly variables: readonly CommandVariable[];
}

/** A name that a command is given, and what it is called there. */
export interface CommandVariable {
  readonly reference: Reference;
  readonly variable: string;
}

/** What the shell has from the process. */
export const passedOn = ['PATH', 'HOME', 'USER', 'LANG', 'TMPDIR', 'SSH_AUTH_SOCK'] as const;

/** Variables that change what a shell, or the programs that it starts, are. */
const reserved = new RegExp(`^(?:${passedOn.join('|')}|ENV|BASH_ENV|IFS|LD_.*|DYLD_.*|NODE_.*)$`);

/** In bytes: not much more may any system be handed as one argument. */
const longest = 100_000;

// sh step :: sh step lines? ( with name ( , name )* )?
export function readCommand({ content, info, infoRange }: OperationFence): ReadOperation<WrittenCommand> {
  const errors: SourceError[] = [];
  const place = (start: number, end: number): Range => ({
    start: infoRange.start + start,
    end: infoRange.start + end,
  });
  const { 1: linesWord, 2: rest = '' } = /^sh\s+step(\s+lines(?=\s|$))?\s*(.*)$/.exec(info)!;
  const variables = readWith(
    rest,
    (start, end) => place(info.length - rest.length + start, info.length - rest.length + end),
    errors,
  );
  if (content.text.trim() === '')
    errors.push(new SourceError('command-form', infoRange, 'This command is empty.'));
  if (Buffer.byteLength(content.text) > longest)
    errors.push(
      new SourceError(
        'command-form',
        infoRange,
        'This command is longer than 100 kB.',
        'Put it into a file of the collection, and run that: sh ./scripts/restart.sh',
      ),
    );
  const range = content.range(0, content.text.length);
  const step = { type: 'command', range, content, lines: linesWord !== undefined, variables } as const;
  return { ...(errors.length === 0 && { step }), errors };
}

function readWith(
  text: string,
  place: (start: number, end: number) => Range,
  errors: SourceError[],
): CommandVariable[] {
  if (text === '') return [];
  const fail = (range: Range, message: string, remedy: string) =>
    errors.push(new SourceError('command-form', range, message, remedy));
  const [, list] = /^with\s+(.+)$/.exec(text) ?? [];
  if (list === undefined) {
    const [word] = /^\S*/.exec(text)!;
    fail(
      place(0, word.length),
      word === 'with' ? "A name should follow 'with'." : `'${word}' is nothing that can stand here.`,
      didYouMean(word, ['lines', 'with']) ??
        'Names that the command is given stand behind with: sh step with berth, nights',
    );
    return [];
  }
  const variables: CommandVariable[] = [];
  let at = text.length - list.length;
  for (const part of list.split(',')) {
    const name = part.trim();
    const start = at + part.indexOf(name);
    at += part.length + 1;
    const range = place(start, start + Math.max(1, name.length));
    if (!isName(name)) {
      fail(
        range,
        name === '' ? 'A name is missing here.' : `'${name}' is no name.`,
        'Names are parted by commas: sh step with berth, nights',
      );
      continue;
    }
    const variable = name.replaceAll('-', '_');
    const other = variables.find(each => each.variable === variable);
    if (other)
      fail(
        range,
        other.reference.name === name
          ? `'${name}' stands here twice.`
          : `'${other.reference.name}' and '${name}' would both be $${variable}.`,
        'Give one of them another name, by let.',
      );
    else if (reserved.test(variable))
      fail(
        range,
        `$${variable} means something to the shell, or to the programs that it starts.`,
        `Give the value another name: let ${name.toLowerCase()}-value = {${name}}`,
      );
    else variables.push({ reference: { type: 'reference', name, path: [], raw: false, range }, variable });
  }
  return variables;
}
