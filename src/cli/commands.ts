import { withoutPrototype } from '../core/text/without-prototype.ts';
import { endings } from '../reports/endings.ts';
import { choosing, collect, type Describe, looking, plain } from './command-options.ts';
import { lintCommand } from './lint.ts';
import { runCommand } from './run.ts';
import { openTerminal } from './terminal.ts';
import { trustCommands } from './trust-options.ts';

/** What each command takes and does, by its name; in the order of the help. */
export const commands: { readonly [name: string]: Describe } = withoutPrototype({
  run: command =>
    choosing(looking(command))
      .description('run cases and print the verdict')
      .argument('[PATH...]', 'what to run')
      .option('--alone', 'bring along only what gives names, not what may have an effect')
      .option('--files-anywhere', 'send files from outside of the collection too')
      .option('--commands', 'run the commands of pages (`sh step`) on this machine')
      .optionsGroup('How they run:')
      .option('--rows <FILE>', 'run the selection once for each row: .csv, .json, .ndjson, .xlsx')
      .option('--rounds <N>', 'run the selection so many times; with --users each of them')
      .option('--users <N>', 'so many at the same time, each with its own values and cookies')
      .option('--for <DURATION>', 'begin rounds for so long')
      .option('--jobs <N>', 'run so many pages at once that do not need each other')
      .option('--pause <RANGE>', 'wait between one case and the next: 1s, or something from 500ms..3s')
      .option('--fail-fast', 'end with the first case that does not pass')
      .option('--timeout <DURATION>', 'end the run after so long')
      .option('--seed <TEXT>', 'let chance take the same turns as with this seed before')
      .option('--watch', 'run again what a changed file touches')
      .option(
        '--examples <HOW>',
        'strict: what is not as the example in its page fails; write: examples are taken from what comes',
      )
      .optionsGroup('With load:')
      .option('--load [LOAD]', 'carry out the load of the settings, or of a file, or what is written here')
      .option('--rate <N>', 'begin so many rounds a second for as long as --for says, whoever has answered')
      .option('--most-users <N>', 'so many at the most where rounds begin at a rate; 1000 if nothing is said')
      .option(
        '--threads <N>',
        'share the users between so many threads; with --load as many as there are cores',
      )
      .option('--sample <SHARE>', 'keep every line of so many rounds on record; 1% if nothing is said')
      .optionsGroup('Over several machines:')
      .option('--queue <URL>', 'hand it out over this NATS server to those where `mervok worker` runs')
      .option('--workers <N>', 'to so many of them')
      .option('--sign <FILE>', 'the private key that jobs are signed with (Ed25519, PEM)')
      .option('--lease <DURATION>', 'of whom nothing is heard for so long is lost; 15s if nothing is said')
      .option('--queue-credentials <FILE>', 'what the server asks for: its credentials, or the seed of a key')
      .option('--queue-ca <FILE>', 'trust this authority for the server (PEM)')
      .option('--queue-cert <FILE>', 'a certificate that the server asks for (PEM); with --queue-key')
      .option('--queue-key <FILE>', 'its key')
      .optionsGroup('What is told:')
      .option(
        '-o, --output <FILE>',
        `write a report, in the format of its ending: ${endings.join(' ')}; repeatable. FORMAT:PATH for a path without one, FORMAT:- for standard output`,
        collect,
      )
      .option('--only-failures', 'print what did not pass, and the verdict')
      .option('-q, --quiet', 'print the verdict alone')
      .option('--verbose', 'print every request and response, what checks found, and the values')
      .option('--json', 'print the events of the run, a JSON object a line')
      .option('--log <FILE>', 'write a line for each request; with bodies where its case did not pass')
      .option('--no-ci', 'tell a CI system around nothing in its own way')
      .addHelpText(
        'after',
        '\nA DURATION is a number and its unit: 500ms, 30s, 5min, 1h.\nCases that others need run too, and above them on their page those that change something or set\na cookie. A failed case blocks those that need it.',
      )
      .action(async (paths: string[], options) => {
        const later = () => import('./interactive-commands.ts');
        const terminal = openTerminal(options);
        if (options.examples === 'write') await (await later()).runWritingExamples(paths, options, terminal);
        else await runCommand(paths, options, terminal, { watch: async () => (await later()).watch });
      }),

  worker: command =>
    plain(command)
      .description('carry out what runs on other machines hand out over a queue')
      .option('--queue <URL>', 'the NATS server that they are heard by: nats://HOST:PORT, or tls://HOST:PORT')
      .option('--trust <FILE>', 'the public key of those whose jobs are carried out (Ed25519, PEM)')
      .option('--name <NAME>', 'what this worker is called; the name of the machine if nothing is said')
      .option('--allow-os <NAME>', 'a variable of the environment that pages may take; repeatable', collect)
      .option('--commands', 'carry out commands, scripts and queries of pages too')
      .option('--once', 'leave after one job')
      .option('--queue-credentials <FILE>', 'what the server asks for: its credentials, or the seed of a key')
      .option('--queue-ca <FILE>', 'trust this authority for the server (PEM)')
      .option('--queue-cert <FILE>', 'a certificate that the server asks for (PEM); with --queue-key')
      .option('--queue-key <FILE>', 'its key')
      .addHelpText(
        'after',
        '\nThe first interrupt ends what it does, cleans up and leaves. Keys are made by:\n\n  openssl genpkey -algorithm ed25519 -out jobs.key\n  openssl pkey -in jobs.key -pubout -out jobs.pub\n  mervok worker --queue nats://queue.skerry.example:4222 --trust jobs.pub\n  mervok run --queue nats://queue.skerry.example:4222 --workers 1 --sign jobs.key',
      )
      .action(async options => (await import('./worker.ts')).workerCommand(options, openTerminal(options))),

  list: command =>
    choosing(looking(command))
      .description('list pages and cases: their requests, tags, what they take and give, their checks')
      .argument('[PATH...]', 'what to list')
      .option('--json', 'print it as JSON')
      .action(async (paths: string[], options) =>
        (await import('./interactive-commands.ts')).listCommand(paths, options, openTerminal(options)),
      ),

  graph: command =>
    looking(command)
      .description('draw which case feeds which')
      .argument('[PATH...]', 'whose flow to draw, with what it needs')
      .option('--as <FORM>', 'text, mermaid or svg; else as the ending of the file says')
      .option('-o, --output <FILE>', 'write it into a file: .svg, .mmd (Mermaid), .txt')
      .action(async (paths: string[], options) =>
        (await import('./interactive-commands.ts')).graphCommand(paths, options, openTerminal(options)),
      ),

  runs: command =>
    plain(command)
      .description('list the runs on record, or give one a name under which it is kept')
      .argument('[FOLDER]', 'of the collection whose runs are meant; with --name, the run')
      .option('--name <NAME>', 'give a run a name: it stays on record. Without a run, the last one')
      .option('--unname <NAME>', 'take a name away')
      .option('--json', 'print it as JSON')
      .action(async (where: string | undefined, options) =>
        (await import('./interactive-commands.ts')).runsCommand(where, options, openTerminal(options)),
      ),

  ...trustCommands,

  compare: command =>
    plain(command)
      .description('set a run against an earlier one: what newly fails, is repaired, slower, new or gone')
      .argument(
        '[RUN]',
        'the earlier one: a name, an ID, the beginning of one, or a file; else the last of the same',
      )
      .argument('[RUN]', 'the later one; else the last')
      .option('--json', 'print it as JSON')
      .option('-o, --output <FILE>', 'write it into a file: .md, .json, .txt')
      .addHelpText(
        'after',
        '\nWithout names, the last run is set against the last before it of the same selection, in the same\nenvironment. Exit code 1 where something newly fails.',
      )
      .action(async (before: string | undefined, now: string | undefined, options) =>
        (await import('./interactive-commands.ts')).compareCommand(
          before,
          now,
          options,
          openTerminal(options),
        ),
      ),

  coverage: command =>
    plain(command)
      .description('say what of the definition of an API runs on record have exercised')
      .argument('[RUN...]', 'an ID, the beginning of one, a name, last, or a file; without it the last')
      .option('--definition <FILE>', 'the definition that is meant; else those that the runs were held to')
      .option('--at-least <SHARE>', "exit with 1 where less was seen: '80 %'")
      .option('--all', 'count 5xx and default too')
      .option('--json', 'print it as JSON')
      .option('-o, --output <FILE>', 'write it into a file: .html, .md, .json, .txt')
      .addHelpText(
        'after',
        '\nWhat counts are pairs of an operation and a status that it describes, seen in cases that passed.\nSeveral runs and shards add up.',
      )
      .action(async (runs: string[], options) =>
        (await import('./interactive-commands.ts')).coverageCommand(runs, options, openTerminal(options)),
      ),

  report: command =>
    plain(command)
      .description('render a run on record again: into files, or as it was printed')
      .argument('[RUN...]', 'an ID, the beginning of one, last, or a file; without it the last')
      .option(
        '-o, --output <FILE>',
        `write it into a file, in the format of its ending: ${endings.join(' ')}; repeatable`,
        collect,
      )
      .option('--merge', 'several records as one: shards, or the same run on several machines')
      .option('--verdict', 'end with the exit code that the run has: 0, or 1 where something did not pass')
      .option('--only-failures', 'print what did not pass, and the verdict')
      .option('-q, --quiet', 'print the verdict alone')
      .action(async (runs: string[], options) =>
        (await import('./interactive-commands.ts')).reportCommand(runs, options, openTerminal(options)),
      ),

  send: command =>
    looking(command)
      .usage('CASE [options]\n       mervok send [METHOD] URL [options]')
      .description('send one request, what it needs first, and show the response')
      .argument('<WHAT...>', 'a case, or a method and a URL')
      .option('-H, --header <HEADER>', "a header: 'Name: value' (repeatable)", collect)
      .option('--body <TEXT>', 'the body, or @FILE; repeatable, a line each', collect)
      .option('--as <FORM>', 'what the body is: json, xml, yaml, text, form, multipart, graphql, file')
      .option('--timeout <DURATION>', 'give up after so long')
      .option('--ca <FILE>', 'trust this authority too (PEM)')
      .option('--cert <FILE>', 'a client certificate (PEM); with --key')
      .option('--key <FILE>', 'its key')
      .option('--unverified', 'accept any certificate')
      .option('--pick <EXPR>', 'print one value of the response alone')
      .option('--raw', 'print the body alone, as it came')
      .option('--headers', 'print the status line and the headers alone')
      .option('-o, --output <FILE>', 'write the body into a file as it comes, whatever its size')
      .option('--save <PAGE#HEADING>', 'write the request into a page, as a new case')
      .option('--files-anywhere', 'send files from outside of the collection too')
      .option('--commands', 'run the commands of pages (`sh step`) on this machine')
      .option('--alone', 'send first only what gives names, not what may have an effect')
      .addHelpText(
        'after',
        "\nInside a collection a URL that begins with / has its base and settings.\nA DURATION is a number and its unit: 500ms, 30s, 5min.\n\n  mervok send GET /berths?state=free\n  mervok send POST /vessels --body '{ \"name\": \"Curlew\" }' --pick '$.id'\n  mervok send reservations.md#reserve-a-berth\n\nThe response stays at hand: mervok pick '$.id'",
      )
      .action(async (words: string[], options) =>
        (await import('./interactive-commands.ts')).sendCommand(words, options, openTerminal(options)),
      ),

  show: command =>
    looking(command)
      .description('show the request as it would be sent, and where its values come from; send nothing')
      .argument('<CASE>', 'a case, or a page')
      .action(async (path: string, options) =>
        (await import('./interactive-commands.ts')).showCommand(path, options, openTerminal(options)),
      ),

  vars: command =>
    looking(command)
      .description('show every variable: its value, its level, what it hides')
      .argument('[CASE]', 'those that one case can see; without it those of the collection')
      .option('--compare <ENV...>', 'set two environments side by side')
      .action(async (path: string | undefined, options) =>
        (await import('./interactive-commands.ts')).varsCommand(path, options, openTerminal(options)),
      ),

  pick: command =>
    plain(command)
      .description('try a value or a condition on the last response that was sent for')
      .argument('<EXPR>', "for example '$.berths[0].code', 'header etag', 'status = 200'")
      .argument('[FILE]', 'a file with a body instead; - for standard input')
      .option('-q, --quiet', 'print the values alone')
      .addHelpText(
        'after',
        "\nThe values go to standard output; how many matches there are, and where, to standard error.\n\n  mervok pick '$.berths[?@.depth > 4].code'\n  mervok pick 'xml//tide/@no' tides.xml\n  mervok pick 'each $.berths[*] fits berth.json' berths.json",
      )
      .action(async (text: string, file: string | undefined, options) =>
        (await import('./interactive-commands.ts')).pickCommand(text, file, options, openTerminal(options)),
      ),

  lint: command =>
    looking(command)
      .description(
        'say everything about pages, or about the definition of an API, that can be said without sending',
      )
      .argument('[PATH...]', 'what to look at: pages, or definitions (OpenAPI, .yaml or .json)')
      .option('-q, --quiet', 'print errors only, no warnings')
      .option('--strict', 'take warnings for errors')
      .option('--json', 'print the findings as JSON')
      .option('--files-anywhere', 'look into files outside of the collection too')
      .addHelpText(
        'after',
        '\nExit code 2 where there are errors, else 0. Every code is explained in docs/findings.md.',
      )
      .action(async (paths: string[], options) => lintCommand(paths, options, openTerminal(options))),

  import: command =>
    plain(command)
      .description(
        'begin a collection from the definition of an API or a recording, or add what is new in it',
      )
      .argument('<FILE...>', 'a definition (OpenAPI or WSDL) or a recording (HAR)')
      .option('-o, --output <DIR>', 'where to; without it the working folder')
      .option('--list', 'only say what would be written')
      .action(async (paths: string[], options) =>
        (await import('./interactive-commands.ts')).importCommand(paths, options, openTerminal(options)),
      ),

  mock: command =>
    looking(command)
      .description('answer requests from the examples of pages, in the place of the service')
      .argument('[PATH...]', 'whose examples answer')
      .option('--port <N>', 'the port, 7080 without it; 0 for a free one')
      .option('--host <NAME>', 'where to listen; without it on this machine alone')
      .option('--from <RUN>', 'answer what a run on record asked as it was answered there')
      .option('--delay <TIME>', "wait before each answer: '200 ms', '50..300 ms'")
      .option('--break <SHARE>', "let so many requests go wrong: '5 %'")
      .option('--seed <TEXT>', 'let chance take the same turns as with this seed before')
      .option('--no-cors', 'let no page of another origin read answers')
      .option('--log <FILE>', 'write a line for each request')
      .option('-q, --quiet', 'print no line for each request')
      .addHelpText(
        'after',
        '\nA request of a page, read backwards, says which requests its example answers. Pages are read anew\nwhen they change. It knows no secret: what refers to one is made up.',
      )
      .action(async (paths: string[], options) =>
        (await import('./answering-commands.ts')).mockCommand(paths, options, openTerminal(options)),
      ),

  docs: command =>
    looking(command)
      .description('write the pages as a site')
      .argument('[PATH...]', 'what of the collection')
      .option('-o, --output <DIR>', 'where to: a folder that is new, empty, or was written by this')
      .option('--run <RUN>', 'show the outcome of a run on record, and what came where a page has no example')
      .option('--files-anywhere', 'look into files outside of the collection too')
      .action(async (paths: string[], options) =>
        (await import('./answering-commands.ts')).docsCommand(paths, options, openTerminal(options)),
      ),

  ci: command =>
    plain(command)
      .description('write the configuration of a CI system that runs the collection')
      .argument('[SYSTEM]', 'which one; without it those that there are')
      .argument('[PATH...]', 'what it runs')
      .option('--env <NAME>', 'the environment; also as a word, @NAME')
      .option('--shards <N>', 'share the pages among so many machines, with one verdict of all')
      .option('--at-least <SHARE>', "what of the definition has to be seen: '80 %'")
      .option('-o, --output <FILE>', 'where to; - for standard output')
      .action(async (system: string | undefined, paths: string[], options) =>
        (await import('./interactive-commands.ts')).ciCommand(system, paths, options, openTerminal(options)),
      ),

  init: command =>
    plain(command)
      .description('write a small working collection')
      .argument('[DIR]', 'where to', '.')
      .action(async (folder: string, options) =>
        (await import('./interactive-commands.ts')).initCommand(folder, openTerminal(options)),
      ),

  demo: command =>
    plain(command)
      .description('start the demo harbour and run the demo collection against it')
      .option('--defect <NAME>', 'switch on a defect of the harbour (repeatable)', collect)
      .option(
        '--data <N>',
        'give the harbour other data, each number its own; what holds for all of them is no coincidence',
      )
      .option('--copy <DIR>', 'only write the demo collection into a folder, to begin from')
      .option('--serve', 'only start the harbour, and leave it open until it is interrupted')
      .option('--port <N>', 'the port of the harbour; a free one is chosen without, 7070 with --serve')
      .option('-o, --output <FILE>', 'write a report, as run does; repeatable', collect)
      .option('-q, --quiet', 'print the verdict alone')
      .action(async options =>
        (await import('./interactive-commands.ts')).demoCommand(options, openTerminal(options)),
      ),
});
