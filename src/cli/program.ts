import { Command, CommanderError } from 'commander';
import { isUsageError } from '../core/model/usage-error.ts';
import { nearest } from '../core/text/words.ts';
import { version } from '../platform/version.ts';
import { visible } from '../reports/style.ts';
import { commands } from './commands.ts';
import { exitCodes } from './exit.ts';
import { openTerminal, watchOutput } from './terminal.ts';

function build(given: readonly string[]): Command {
  const program = new Command('mervok')
    .description('Runs HTTP requests and checks that are written in Markdown pages.')
    .usage('COMMAND [PATH…] [options]')
    .version(`mervok ${version}`, '-V, --version', 'print the version')
    .helpOption('-h, --help', 'print this help')
    .helpCommand('help [command]', 'print the help of a command')
    .addHelpText(
      'after',
      '\nA PATH is a collection folder, a folder in it, a page, or a case (berths.md#reserve-a-berth).\nWithout one: the collection around the working folder.\n\nExit codes: 0 all passed and something was checked, 1 a case did not pass, 2 nothing was sent,\n3 the run could not be finished or a report not be written, 130 interrupted.',
    )
    .exitOverride()
    .configureOutput({ outputError: () => undefined, writeErr: () => undefined })
    .showSuggestionAfterError(false)
    .allowExcessArguments(false);
  // Only the command that is called takes the time to be described; for the help all of them are.
  const called = Object.hasOwn(commands, given[0] ?? '') ? given[0] : undefined;
  for (const [name, describe] of Object.entries(commands)) {
    const command = new Command(name).copyInheritedSettings(program);
    program.addCommand(called === undefined || called === name ? describe(command) : command);
  }
  return program;
}

/** Commands that end with a verdict, or with findings: where those cannot be told, that is an outcome of its own. */
const judging = new Set(['run', 'demo', 'report', 'compare', 'lint']);

/** Runs a command line and sets the exit code. Whatever goes wrong ends in one message. */
export async function main(given: string[]): Promise<void> {
  watchOutput({ judges: given[0] !== undefined && judging.has(given[0]) });
  const program = build(given);
  try {
    if (given.length === 0) program.outputHelp();
    else await program.parseAsync(given, { from: 'user' });
  } catch (error) {
    process.exitCode = report(error as Error, program, given);
  }
}

function report(error: Error, program: Command, given: string[]): number {
  const terminal = openTerminal();
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return exitCodes.passed;
    terminal.err(`${visible(commandLineError(error, program, given))}\n`);
    return exitCodes.nothingSent;
  }
  if (isUsageError(error)) {
    terminal.err(`${visible(error.message)}\n`);
    return exitCodes.nothingSent;
  }
  terminal.err(`${ownError(error)}\n`);
  return exitCodes.unfinished;
}

/** What it says may quote what was being worked on, so only its kind is told, and where it happened. */
function ownError(error: Error): string {
  const frames = (error.stack ?? '').split('\n').filter(line => /^ +at /.test(line));
  const where = process.env.MERVOK_TRACE ? `\n${frames.join('\n')}` : ' MERVOK_TRACE=1 tells where.';
  return `This is a mistake in Mervok itself (${error.name}).${where}`;
}

/** One line: what is wrong, and the nearest right form. */
function commandLineError(error: CommanderError, program: Command, given: string[]): string {
  const command = program.commands.find(each => each.name() === given[0]);
  const quoted = /'([^']*)'/.exec(error.message)?.[1] ?? '';
  const offer = (word: string, known: string[], otherwise: string) => {
    const meant = nearest(word, known);
    return meant === undefined ? otherwise : `Did you mean '${meant}'?`;
  };
  switch (error.code) {
    case 'commander.unknownCommand':
    case 'commander.excessArguments': {
      const names = program.commands.map(each => each.name());
      if (!command && given[0] !== undefined)
        return `'${given[0]}' is no command. ${offer(given[0], names, `There are ${names.join(', ')}.`)}`;
      return `'${given[0]}' takes fewer arguments.`;
    }
    case 'commander.unknownOption': {
      const flags = [...(command ?? program).options, ...program.options]
        .map(option => option.long!)
        .concat('--help');
      return `'${quoted}' is no option${command ? ` of ${command.name()}` : ''}. ${offer(quoted.replace(/=.*/, ''), flags, `mervok ${command ? `${command.name()} ` : ''}--help lists them.`)}`;
    }
    case 'commander.missingArgument': {
      const wanted = command?.registeredArguments.find(argument => argument.name() === quoted);
      return `'${given[0]}' needs ${quoted}${wanted?.description ? `: ${wanted.description}` : ''}.`;
    }
    case 'commander.optionMissingArgument':
      return `A value is missing behind '${/--[\w-]+/.exec(quoted)?.[0] ?? quoted}'.`;
    default:
      return error.message.replace(/^error: /, '');
  }
}
