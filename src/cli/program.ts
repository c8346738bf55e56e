import { Command, CommanderError, Option } from 'commander';
import { nearest } from '../core/text/nearest.ts';
import { exitCodes } from './exit.ts';
import { lintCommand } from './lint.ts';
import { runCommand } from './run.ts';
import { openTerminal } from './terminal.ts';
import { version } from './version.ts';

/** An option that may be given several times. */
const collect = (value: string, before: string[] | undefined) => [...(before ?? []), value];

function build(): Command {
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
  const inherit = (command: Command) =>
    command.copyInheritedSettings(program).addOption(new Option('--no-color', 'print without colour'));
  /** A command that looks at pages: which values their names have can be chosen. */
  const looking = (command: Command) =>
    inherit(command)
      .option('-e, --env <NAME>', 'the environment')
      .option('--set <NAME=VALUE>', 'give a variable a value (repeatable)', collect);

  program.addCommand(
    looking(new Command('run'))
      .description('run cases and print the verdict')
      .argument('[PATH...]', 'what to run')
      .option('--files-anywhere', 'send files from outside of the collection too')
      .option('--rounds <N>', 'run the selection so many times')
      .option(
        '-o, --output <FILE>',
        'write a report: .xml (JUnit), .json, .ndjson (the record); repeatable',
        collect,
      )
      .option('-q, --quiet', 'print the verdict alone')
      .addHelpText(
        'after',
        '\nCases whose values others need run too. A failed case blocks those that need its values.',
      )
      .action(async (paths: string[], options) => runCommand(paths, options, openTerminal(options.color))),
  );
  program.addCommand(
    looking(new Command('send'))
      .usage('CASE [options]\n       mervok send [METHOD] URL [options]')
      .description('send one request, what it needs first, and show the response')
      .argument('<WHAT...>', 'a case, or a method and a URL')
      .option('-H, --header <HEADER>', "a header: 'Name: value' (repeatable)", collect)
      .option('--body <TEXT>', 'the body, or @FILE; repeatable, a line each', collect)
      .option('--as <FORM>', 'what the body is: json, xml, yaml, text, form, multipart, graphql, file')
      .option('--pick <EXPR>', 'print one value of the response alone')
      .option('--raw', 'print the body alone, as it came')
      .option('--headers', 'print the status line and the headers alone')
      .option('-o, --output <FILE>', 'write the body into a file as it comes, whatever its size')
      .option('--save <PAGE#HEADING>', 'write the request into a page, as a new case')
      .option('--files-anywhere', 'send files from outside of the collection too')
      .addHelpText(
        'after',
        "\nInside a collection a URL that begins with / has its base and settings.\n\n  mervok send GET /berths?state=free\n  mervok send POST /vessels --body '{ \"name\": \"Curlew\" }' --pick '$.id'\n  mervok send reservations.md#reserve-a-berth\n\nThe response stays at hand: mervok pick '$.id'",
      )
      .action(async (words: string[], options) =>
        (await import('./look.ts')).sendCommand(words, options, openTerminal(options.color)),
      ),
  );
  program.addCommand(
    looking(new Command('show'))
      .description('show the request as it would be sent, and where its values come from; send nothing')
      .argument('<CASE>', 'a case, or a page')
      .action(async (path: string, options) =>
        (await import('./look.ts')).showCommand(path, options, openTerminal(options.color)),
      ),
  );
  program.addCommand(
    looking(new Command('vars'))
      .description('show every variable: its value, its level, what it hides')
      .argument('[CASE]', 'those that one case can see; without it those of the collection')
      .action(async (path: string | undefined, options) =>
        (await import('./look.ts')).varsCommand(path, options, openTerminal(options.color)),
      ),
  );
  program.addCommand(
    inherit(new Command('pick'))
      .description('try a value or a condition on the last response that was sent for')
      .argument('<EXPR>', "for example '$.berths[0].code', 'header etag', 'status = 200'")
      .argument('[FILE]', 'a file with a body instead; - for standard input')
      .action(async (text: string, file: string | undefined, options) =>
        (await import('./look.ts')).pickCommand(text, file, openTerminal(options.color)),
      ),
  );
  program.addCommand(
    looking(new Command('lint'))
      .description('say everything about pages that can be said without sending')
      .argument('[PATH...]', 'what to look at')
      .option('-q, --quiet', 'print errors only, no warnings')
      .action(async (paths: string[], options) => lintCommand(paths, options, openTerminal(options.color))),
  );
  program.addCommand(
    inherit(new Command('init'))
      .description('write a small working collection')
      .argument('[DIR]', 'where to', '.')
      .action(async (folder: string, options) =>
        (await import('./look.ts')).initCommand(folder, openTerminal(options.color)),
      ),
  );
  program.addCommand(
    inherit(new Command('demo'))
      .description('start the demo harbour and run the demo collection against it')
      .option('--defect <NAME>', 'switch on a defect of the harbour (repeatable)', collect)
      .option('--serve', 'only start the harbour, and leave it open until it is interrupted')
      .option('--port <N>', 'the port of the harbour; a free one is chosen without, 7070 with --serve')
      .option('-o, --output <FILE>', 'write a report, as run does; repeatable', collect)
      .option('-q, --quiet', 'print the verdict alone')
      .action(async options => (await import('./look.ts')).demoCommand(options, openTerminal(options.color))),
  );
  return program;
}

/** Runs a command line and sets the exit code. Whatever goes wrong ends in one message. */
export async function main(given: string[]): Promise<void> {
  // Who reads our output may stop early, as `head` does.
  process.stdout.on('error', error => {
    if ((error as NodeJS.ErrnoException).code === 'EPIPE') process.exit(process.exitCode ?? 0);
    throw error;
  });
  const program = build();
  try {
    if (given.length === 0) program.outputHelp();
    else await program.parseAsync(given, { from: 'user' });
  } catch (error) {
    process.exitCode = report(error as Error, program, given);
  }
}

/** What they say is all that is to be printed. Told by their names: each part of the bundle has classes of its own. */
const forPeople = new Set(['UsageMistake', 'FileMistake', 'SelectionMistake']);

function report(error: Error, program: Command, given: string[]): number {
  const terminal = openTerminal(true);
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return exitCodes.passed;
    terminal.err(`${commandLineMistake(error, program, given)}\n`);
    return exitCodes.nothingSent;
  }
  if (forPeople.has(error.name)) {
    terminal.err(`${error.message}\n`);
    return exitCodes.nothingSent;
  }
  terminal.err(`This is a mistake in Mervok itself: ${error.message}\n`);
  if (process.env.MERVOK_TRACE) terminal.err(`${error.stack}\n`);
  return exitCodes.unfinished;
}

/** One line: what is wrong, and the nearest right form. */
function commandLineMistake(error: CommanderError, program: Command, given: string[]): string {
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
      return `A value is missing behind '${quoted}'.`;
    default:
      return error.message.replace(/^error: /, '');
  }
}
