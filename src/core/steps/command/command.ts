import { packagesOf } from '../../language/packages.ts';
import { referencesIn, sourcesIn } from '../../language/walk.ts';
import { SourceError } from '../../model/finding.ts';
import { placeOf } from '../../model/place.ts';
import { expectsFault } from '../operation.ts';
import { firstLine } from '../operation-event.ts';
import { planRepeat } from '../repetition.ts';
import type { OperationKind, PlannedStep, PrepareContext } from '../step.ts';
import { CommandStep } from './command-step.ts';
import { readCommand, type WrittenCommand } from './read-command.ts';

/** What statements below a command look at. */
const offers = ['path', 'lines', 'csv', 'exit', 'output', 'errors', 'time', 'fault'];

export const commandKind: OperationKind<WrittenCommand> = {
  type: 'command',
  fence: 'sh step',
  read: readCommand,
  attachments: {},
  offers: () => offers,
  faults: ['timeout', 'limit', 'killed', 'missing', 'refused'],
  title: titleOf,
  effect: () => 'its command may change something',
  runsAlone: () => true,
  demands: () => ({ permission: 'commands', needs: 'sh' }),
  unchecked: () => undefined,
  uses({ repeat, variables }, _effective, use) {
    if (repeat) use(referencesIn(repeat));
    use(variables.map(({ reference }) => reference));
  },
  packages({ repeat }, _effective, needed) {
    if (repeat) packagesOf(repeat, needed);
  },
  prepare,
  // Braces mean something to the shell; what is no more than a slip is said when it is made ready.
  foreignReferences: () => [],
};

function titleOf({ content }: WrittenCommand): string {
  return `sh ${firstLine(content.text, line => line.startsWith('#'))}`;
}

function prepare(command: WrittenCommand, context: PrepareContext): readonly PlannedStep[] {
  context.add(referencesInText(command));
  const repetition = command.repeat && planRepeat(command.repeat, context);
  const { source, effective, checksBelow } = context;
  const { timeout, limits } = effective.transport;
  const step = new CommandStep(
    {
      title: titleOf(command),
      text: command.content.text,
      folder: source.file.replace(/[^/]*$/, ''),
      lines: command.lines,
      variables: command.variables,
      timeout,
      limits,
      speaksOfExit: checksBelow.some(check => sourcesIn(check).some(({ form }) => form === 'exit')),
    },
    placeOf(source, command.range),
    expectsFault(context),
    repetition,
  );
  return [step];
}

/**
 * What is written as a reference has no meaning in a command. In single quotes braces belong to other programs, and bare
 * ones with a word in them to nobody.
 */
function referencesInText({ content, variables }: WrittenCommand): SourceError[] {
  const { text } = content;
  const errors: SourceError[] = [];
  const outside = text.replace(/'[^']*'/g, quoted => ' '.repeat(quoted.length));
  for (const { 0: written, 1: name, index } of outside.matchAll(
    /(?<![$\\{])\{([A-Za-z][A-Za-z0-9_-]*)(?:\.[\w-]+)*\}/g,
  )) {
    const variable = name!.replaceAll('-', '_');
    const given = variables.some(({ reference }) => reference.name === name);
    errors.push(
      new SourceError(
        'reference-like',
        content.range(index, index + written.length),
        `Nothing is put into the text of a command, so ${written} stays as it is.`,
        given
          ? `The value is a variable of the shell: "$${variable}"`
          : `Name it behind the fence's words, sh step with ${name}, and write "$${variable}"`,
      ),
    );
  }
  return errors;
}
