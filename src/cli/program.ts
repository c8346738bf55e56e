import { Command, CommanderError } from 'commander';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
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
      '\nThe reference on the terminal: mervok help checks, references, functions, statements, values, settings,\nbodies, flow, …; and of any finding by its code: mervok help name-unknown.\n\nA PATH is a collection folder, a folder in it, a page, or a case (berths.md#reserve-a-berth).\nWithout one: the collection around the working folder.\n\nExit codes: 0 all passed and something was checked, 1 a case did not pass, 2 nothing was sent,\n3 the run could not be finished or a report not be written, 130 interrupted.',
    )
    .exitOverride()
    .configureOutput({ outputError: () => undefined, writeErr: () => undefined })
    .showSuggestionAfterError(false)
    .allowExcessArguments(false);
  // Only the command that is called takes the time to be described; for the help all of them are.
  const called = Object.hasOwn(commands, given[0] ?? '') ? given[0] : undefined;
  for (const [name, describe] of Object.entries(commands)) {
    const command = new Command(name).copyInheritedSettings(program);
    program.addCommand(called === undefined || called === name ? onceEach(describe(command)) : command);
  }
  return program;
}

/** An option that is not repeatable is given once. */
function onceEach(command: Command): Command {
  for (const option of command.options)
    if (option.required && !option.variadic && !option.parseArg)
      option.argParser((value: string, before: string | undefined) => {
        if (before === undefined) return value;
        const more = option.long === '--env' ? ' mervok vars --compare sets two side by side.' : '';
        throw new UsageError(`${option.long} is given twice: '${before}' and '${value}'.${more}`);
      });
  return command;
}

/** An environment may be given as a word, `@NAME`: it becomes the option that it stands for. */
function withEnvironment(given: readonly string[], program: Command): string[] {
  const command = program.commands.find(each => each.name() === given[0]);
  const options = command?.options ?? [];
  if (!options.some(({ long }) => long === '--env')) return [...given];
  const result: string[] = [];
  for (let at = 0; at < given.length; at++) {
    const word = given[at]!;
    if (word === '--') return [...result, ...given.slice(at)];
    const option = options.find(({ long, short }) => word === long || word === short);
    if (option?.required && !option.variadic) result.push(word, ...given.slice(++at, at + 1));
    else if (/^@[^/\\]+$/.test(word)) {
      // Names behind `--compare` are those of environments as they stand.
      const last = result.findLast(each => each.startsWith('--'));
      const isCompared = options.some(({ long, variadic }) => variadic && long === last);
      if (isCompared) result.push(word.slice(1));
      else result.push('--env', word.slice(1));
    } else result.push(word);
  }
  return result;
}

/** Commands that end with a verdict, or with findings: where those cannot be told, that is an outcome of its own. */
const judging = new Set(['run', 'demo', 'report', 'compare', 'lint']);

/** Runs a command line and sets the exit code. Whatever goes wrong ends in one message. */
export async function main(given: string[]): Promise<void> {
  watchOutput({ judges: given[0] !== undefined && judging.has(given[0]) });
  const program = build(given);
  try {
    if (given.length === 0) program.outputHelp();
    else if (await printTopic(given, program)) return;
    else await program.parseAsync(withEnvironment(given, program), { from: 'user' });
  } catch (error) {
    process.exitCode = await report(error as Error, program, given);
  }
}

/** `mervok help checks`: a part of the reference. Whether there was one to print. */
async function printTopic([word, topic, ...more]: readonly string[], program: Command): Promise<boolean> {
  const isCommand = program.commands.some(each => each.name() === topic);
  if (word !== 'help' || topic === undefined || more.length > 0 || isCommand) return false;
  const { printSection, sectionOf } = await import('./help-topics.ts');
  const section = sectionOf(topic);
  if (section === undefined) return false;
  await printSection(section, openTerminal());
  return true;
}

async function report(error: Error, program: Command, given: string[]): Promise<number> {
  const terminal = openTerminal();
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return exitCodes.passed;
    terminal.err(`${visible(await commandLineError(error, program, given))}\n`);
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
async function commandLineError(error: CommanderError, program: Command, given: string[]): Promise<string> {
  const { remedyForCommand, remedyForOption } = await import('./interactive-commands.ts');
  const command = program.commands.find(each => each.name() === given[0]);
  const quoted = /'([^']*)'/.exec(error.message)?.[1] ?? '';
  const offer = (word: string, known: string[], otherwise: string) => {
    const meant = nearest(word, known);
    return meant === undefined ? otherwise : `Did you mean '${meant}'?`;
  };
  switch (error.code) {
    case 'commander.help': {
      const { topicNames } = await import('./interactive-commands.ts');
      const names = [...program.commands.map(each => each.name()), ...topicNames];
      return `There is no help about '${given[1]}'. ${remedyForCommand(given.slice(1)) ?? offer(given[1] ?? '', names, `There are ${names.join(', ')}.`)}`;
    }
    case 'commander.unknownCommand':
    case 'commander.excessArguments': {
      const names = program.commands.map(each => each.name());
      if (!command && given[0] !== undefined)
        return `'${given[0]}' is no command. ${remedyForCommand(given) ?? offer(given[0], names, `There are ${names.join(', ')}.`)}`;
      return `'${given[0]}' takes fewer arguments.`;
    }
    case 'commander.unknownOption': {
      const flags = [...(command ?? program).options, ...program.options]
        .map(option => option.long!)
        .concat('--help');
      const remedy = command
        ? remedyForOption(command.name(), quoted)
        : /^-v$/i.test(quoted)
          ? 'Write: mervok --version'
          : undefined;
      return `'${quoted}' is no option${command ? ` of ${command.name()}` : ''}. ${remedy ?? offer(quoted.replace(/=.*/, ''), flags, `mervok ${command ? `${command.name()} ` : ''}--help lists them.`)}`;
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
