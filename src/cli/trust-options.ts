import { withoutPrototype } from '../core/text/without-prototype.ts';
import { type Describe, looking } from './command-options.ts';
import { openTerminal } from './terminal.ts';

/** Commands that say what checks are worth. */
export const trustCommands: { readonly [name: string]: Describe } = withoutPrototype({
  suggest: command =>
    looking(command)
      .description(
        'say which checks would be worth writing: send cases twice, and see what their answers have in common',
      )
      .argument(
        '[PATH...]',
        'the cases that are sent, with what they need; with --from, those that are looked at',
      )
      .option(
        '--from <RUN...>',
        'look at answers on record instead, of one run or several: last, a name, an ID, a file',
      )
      .option('--write', 'put them into the pages, below their requests')
      .option('--all', 'all of them, rather than the best twelve of a request')
      .option('--values', 'values too that are the same each time, though nothing says that they have to be')
      .option('--files-anywhere', 'send files from outside of the collection too')
      .option('--commands', 'run the commands of pages (`sh step`) on this machine')
      .option('--json', 'print it as JSON')
      .action(async (paths: string[], options) =>
        (await import('./trust-commands.ts')).suggestCommand(paths, options, openTerminal(options)),
      ),

  doubt: command =>
    looking(command)
      .description('say whether the checks would notice: change answers on record one thing at a time')
      .argument('[PATH...]', 'whose checks; else all that ran')
      .option('--run <RUN>', 'the run whose answers are changed; else the last one that has passed')
      .option('--at-least <SHARE>', 'exit code 1 where less is noticed: 70 %')
      .option('--seed <TEXT>', 'let chance choose which items of lists are changed; else the last ones')
      .option('--json', 'print it as JSON')
      .option('-o, --output <FILE>', 'write it into a file: .html, .md, .json, .txt')
      .action(async (paths: string[], options) =>
        (await import('./trust-commands.ts')).doubtCommand(paths, options, openTerminal(options)),
      ),

  contract: command =>
    looking(command)
      .description('say what pages rely on: as a file, beside a definition or a run, or beside each other')
      .argument('[PATH...]', 'whose requests, checks and keeps; or contracts, to see who relies on what')
      .option('-o, --output <FILE>', 'write the contract')
      .option(
        '--against <FILE>',
        'exit code 1 where a definition, a contract or a run does not have what they rely on',
      )
      .option('--strict', 'with --against: what need not be there is a failure too')
      .option('--unused <FILE>', 'what of a definition nobody relies on')
      .option('--json', 'print it as JSON')
      .action(async (paths: string[], options) =>
        (await import('./trust-commands.ts')).contractCommand(paths, options, openTerminal(options)),
      ),
});
