import { existsSync } from 'node:fs';

// What people bring from other command lines, and how it is said here. It is looked at only where a line cannot be read.

/** Each row: the words, parted by blanks, and the form that does what they mean. */
type Rows = readonly (readonly [words: string, form: string])[];

const commandRows: Rows = [
  ['test tests check checks exec execute start go play launch suite', 'mervok run'],
  ['validate verify syntax parse analyse analyze audit doctor', 'mervok lint'],
  ['request req call fetch http try ping hit', 'mervok send METHOD URL, or mervok send page.md#case'],
  ['new create setup bootstrap scaffold project', 'mervok init DIR'],
  ['ls tree dir cases pages tests-list', 'mervok list'],
  ['env envs environment environments variables variable config settings', 'mervok vars'],
  ['history results logs log last records', 'mervok runs'],
  ['diff difference regressions', 'mervok compare'],
  ['assertions asserts propose recommend generate', 'mervok suggest page.md#case'],
  ['mutate mutation mutations strength', 'mervok doubt'],
  ['consumer consumers expectations', 'mervok contract -o FILE'],
  ['export render html junit reports summary publish', 'mervok report last -o run.html'],
  ['flow deps dependencies diagram chart draw', 'mervok graph'],
  ['query eval evaluate jq jsonpath xpath extract select grep', "mervok pick '$.id'"],
  ['serve server harbour example examples sample tutorial', 'mervok demo --serve'],
  ['watch dev', 'mervok run --watch'],
  ['load bench benchmark perf performance stress', "mervok run --load 'stay at 20 users for 1 min'"],
  ['rerun retry failed', 'mervok run --failed'],
  ['preview dry-run explain inspect view cat print', 'mervok show page.md#case'],
  ['save record', 'mervok send METHOD URL --save page.md#heading'],
  ['version', 'mervok --version'],
];

const methods = /^(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS|TRACE)$/i;

/** The command that does what a word means which is none. */
export function remedyForCommand(given: readonly string[]): string | undefined {
  const [word = '', ...rest] = given;
  const more = rest.length === 0 ? '' : ` ${rest.join(' ')}`;
  if (/^https?:\/\//i.test(word)) return `A request is sent by: mervok send ${word}${more}`;
  if (methods.test(word))
    return `A request is sent by: mervok send ${word.toUpperCase()}${more === '' ? ' URL' : more}`;
  if (/\.md(?:#|$)/i.test(word) || (word !== '' && existsSync(word.split('#')[0]!)))
    return `Pages run by: mervok run ${word}${more}`;
  if (/^@\w/.test(word)) return `An environment stands behind the command: mervok run ${word}`;
  const form = lookUp(commandRows, word.toLowerCase());
  return form && `Write: ${form}`;
}

const values: Rows = [
  ['-e -E --environment --profile --stage', 'An environment is chosen by @NAME, or by --env NAME.'],
  ['-D -v --var --variable --define --param --global', 'A value is given by: --set NAME=VALUE'],
  [
    '--env-file --dotenv --vars-file --variables --var-file --secrets',
    'Values of a file are given by: --vars FILE',
  ],
];

/** What belongs to requests, and stands in settings rather than on the command line. */
const settings: Rows = [
  [
    '-k --insecure --no-verify --skip-tls --skip-verify --ssl-no-verify',
    'It is a setting: tls: { verify: false }',
  ],
  ['--cacert --ca --ca-cert', 'It is a setting: tls: { ca: authority.pem }'],
  [
    '--cert --key --client-cert --ssl-client-cert -E',
    'It is a setting: tls: { cert: client.pem, key: client.key }',
  ],
  [
    '-x --proxy',
    'It is a setting: proxy: "http://proxy.skerry.example:3128"; HTTP_PROXY and HTTPS_PROXY count too.',
  ],
  ['-H --header --headers', 'It is a setting: headers: { Accept: application/json }'],
  [
    '-u --user --auth --token',
    'It is a setting: auth: { bearer: "{token}" }, or auth: { basic: { user: …, password: "{password}" } }',
  ],
  [
    '--base-url --base --host --url --server',
    'It is a setting: base: "{harbour}/v1"; an environment gives {harbour} its value.',
  ],
  ['--retries --retry', 'It is a setting: retry: { times: 2 }'],
  ['--timeout-request --request-timeout --max-time -m', 'It is a setting: timeout: 5 s'],
  ['--follow --location -L --max-redirs --max-redirects', 'It is a setting: redirects: 5'],
];

const telling: Rows = [
  ['-v -vv --debug --trace --details --full', 'Every request and response is printed by: --verbose'],
  ['-s --silent', 'The verdict alone is printed by: --quiet'],
  [
    '--colour --color --no-colour --nocolor',
    'Colour is there in a terminal; --no-color and NO_COLOR switch it off.',
  ],
  [
    '-r -f --reporter --reporters --format --out --outfile --output-file --junit --html --xml --pdf --report --reports',
    'A report is written by: -o run.html, -o run.xml (JUnit), -o run.pdf; the ending chooses the format.',
  ],
];

const optionRows: ReadonlyMap<string, Rows> = new Map([
  [
    'run',
    [
      [
        '-n --iterations --iteration --repeat --repeats --times --count --loops',
        'Rounds are run by: --rounds N',
      ],
      ['-d --data --dataset --csv --table --iteration-data', 'A run for each row of a table: --rows FILE'],
      ['-j -p --parallel --processes --concurrent', 'Pages run at the same time by: --jobs N'],
      [
        '-c --concurrency --clients --connections',
        'Users at the same time: --users N; pages at the same time: --jobs N',
      ],
      ['--duration --time', 'Rounds are begun for so long by: --for 1min'],
      [
        '-x -b --bail --stop-on-failure --stop-on-error --exit-first --failfast --abort',
        'Ending with the first failure: --fail-fast',
      ],
      [
        '-g -t --grep --filter --only --name --match --pattern --include --select',
        'Cases are chosen by their path (page.md#case), or by --tag TAG',
      ],
      ['--exclude --skip --ignore', 'Cases are left out by --without PATH, or --not-tag TAG'],
      ['--delay --sleep --wait', 'Waiting between cases: --pause DURATION'],
      [
        '--dry-run --dry --check --list',
        'Without sending: mervok lint, mervok list, mervok show page.md#case',
      ],
      ['--rerun --last-failed --lf --only-failed --failures', 'What did not pass last time: --failed'],
      ['--random --shuffle', 'Pages run in the order that they stand in; chance is repeated by --seed TEXT'],
      ['--rps --qps --arrival-rate', 'Rounds a second are begun by: --rate N --for DURATION'],
      [
        '--ramp --ramp-up --rampup --stages --phases',
        "How it rises is said by: --load 'rise to 50 users in 2 min; stay 5 min'",
      ],
      ['-w', 'Running again what changes: --watch'],
      ...values,
      ...settings,
      ...telling,
    ],
  ],
  [
    'send',
    [
      ['-X --request --method', 'The method stands first: mervok send POST URL'],
      [
        '-d --data --data-raw --data-binary --json --raw-body -b',
        'The body is given by: --body \'{ "nights": 2 }\', or --body @FILE',
      ],
      ['-F --form', 'A form with files is given by: --as multipart --body \'manifest = file "crates.csv"\''],
      ['--data-urlencode --urlencoded', 'A form is given by: --as form --body state=free --body depth=4'],
      [
        '-u --user --basic --auth',
        'Credentials are a header: -H \'Authorization: Basic …\'; on a page, a setting: auth: { basic: { user: …, password: "{password}" } }',
      ],
      ['--token --bearer', "A token is a header: -H 'Authorization: Bearer …'"],
      ['-A --user-agent', "It is a header: -H 'User-Agent: …'"],
      ['--cookie --cookie-jar', "It is a header: -H 'Cookie: sid=…'"],
      ['--referer', "It is a header: -H 'Referer: …'"],
      ['-i --include', 'Status and headers are shown as it is; alone by: --headers'],
      ['-I --head', 'Headers alone: mervok send HEAD URL, or --headers'],
      ['-L --location --follow', 'Redirects are followed as it is, five at the most.'],
      ['-s --silent', 'The body alone, fit for a pipe: --raw'],
      ['-O --remote-name --download', 'The body goes into a file by: -o FILE'],
      ['--compressed', 'What comes compressed is unpacked as it is.'],
      ['-f --fail', "A condition decides the exit code: --pick 'status is 2xx'"],
      [
        '-k --insecure --no-verify --skip-tls --skip-verify --ssl-no-verify --verify',
        'Any certificate is accepted by: --unverified; an authority of your own is trusted by: --ca FILE',
      ],
      ['--cacert --ca-cert --capath --authority', 'An authority is trusted by: --ca FILE'],
      [
        '--client-cert --ssl-client-cert --certificate --cert-key -E',
        'A client certificate is given by: --cert FILE --key FILE',
      ],
      [
        '-m --max-time --connect-timeout --timeout-request --request-timeout --wait',
        'How long it may take is given by: --timeout DURATION',
      ],
      ['-q --query --select --filter --extract', "A part of the response: --pick '$.id'"],
      ...values,
      ...settings,
      ...telling,
    ],
  ],
]);

/** What does what an option means that a command does not know. */
export function remedyForOption(command: string, option: string): string | undefined {
  const rows = optionRows.get(command) ?? [...values, ...settings, ...telling];
  const [name = option] = option.split('=');
  return lookUp(rows, name) ?? (/^-[A-Za-z]./.test(name) ? lookUp(rows, name.slice(0, 2)) : undefined);
}

function lookUp(rows: Rows, word: string): string | undefined {
  return rows.find(([words]) => words.split(' ').includes(word))?.[1];
}
