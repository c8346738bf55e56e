import { type Command, Option } from 'commander';

/** What a command takes and does. */
export type Describe = (command: Command) => Command;

/** An option that may be given several times. */
export const collect = (value: string, before: string[] | undefined) => [...(before ?? []), value];

/** Every command knows this one. */
export const plain = (command: Command) =>
  command.addOption(new Option('--no-color', 'print without colour'));

/** A command that looks at pages: which values their names have can be chosen. */
export const looking = (command: Command) =>
  plain(command)
    .option('--env <NAME>', 'the environment; also as a word, @NAME')
    .option('--set <NAME=VALUE>', 'give a variable a value (repeatable)', collect)
    .option('--vars <FILE>', 'give variables: .env, .properties, .json, .yaml (repeatable)', collect);

/** A command that works on some of the cases. */
export const choosing = (command: Command) =>
  command
    .optionsGroup('Which cases:')
    .option('--tag <TAG>', 'only cases with this tag, or another one that is given (repeatable)', collect)
    .option('--not-tag <TAG>', 'no case with this tag (repeatable)', collect)
    .option('--without <PATH>', 'leave out a folder, page or case (repeatable)', collect)
    .option('--failed', 'only what did not pass in the last run')
    .option('--shard <I/N>', 'the I-th of N shares')
    .optionsGroup('Options:');
