import { lower, type Row, type Says } from './row.ts';

/** `response.body.items[0].id` as a path: `$.items[0].id`. */
const pathOf = (way: string) => `$${way.replace(/\?\./g, '.')}`;

const checkAlone: Says = 'A check stands alone, without a word before it: status = 200';

/** By what a statement begins with, up to its line end. */
export const statements: readonly Row[] = [
  [/^[*•–—+-]\s+/, 'A statement stands alone, without the mark of a list before it.'],
  [/^\/\//, "A comment begins with '#'."],
  [/^http\s+([1-5]\d\d)\b/i, ([, status]) => `Write: status = ${status}`],
  [/^content[_-]?type\b/i, 'A header is written: header content-type contains "json"'],
  [
    /^(\S.*?)\s*==?\s*(\d+|"[^"]*")\s*(?:\|\|?|\bor\b)\s*(\d+|"[^"]*")\s*$/,
    ([, value, one, other]) => `Write 'in': ${value} in ${one}, ${other}`,
  ],
  [/^status\b.*\b([1-5])(?:x+|\*+)/i, ([, first]) => `Write: status is ${first}xx`],
  // parts of a response as members of an object
  [
    /^(?:response|res|resp|reply|answer|result)\.status(?:[_-]?code)?\b/i,
    "The status of the response is 'status': status = 200",
  ],
  [/^(?:http|response)[_ -]?(?:status|code)(?:[_ -]?code)?\b/i, "Write 'status': status = 200"],
  [/^status(?:[_ -]?code)\b/i, "Write 'status': status = 200"],
  [/^code\b/i, "Write 'status': status = 200"],
  [
    /^(?:(?:response|res|resp|reply|answer|result)\.)?(?:body|json|data)(?:\(\))?((?:\??\.\w+|\[(?:\d+|'[^']*'|"[^"]*")\])+)/i,
    ([, way]) => `A part of a JSON body is a path: ${pathOf(way!)}`,
  ],
  [
    /^(?:(?:response|res|resp|reply|answer|result)\.)?headers?(?:\.get)?[.([]\s*["']?([\w-]+)["']?\s*[\])]?/i,
    ([, name]) => `A header is written: header ${lower(name!)}`,
  ],
  [
    /^(?:(?:response|res|resp|reply|answer|result)\.)?cookies?(?:\.get)?[.([]\s*["']?([\w-]+)["']?\s*[\])]?/i,
    ([, name]) => `A cookie is written: cookie ${name}`,
  ],
  [
    /^headers\s+(?:contains?|includes?|ha(?:s|ve)|exists?)\b/i,
    'A header is written with its name: header etag exists, header vary contains "accept"',
  ],
  [/^headers\s+(\S+)/i, ([, name]) => `A header is written: header ${name}`],
  [
    /^header\s+([\w-]+)\s*:\s*(\S+)/i,
    ([, name, value]) => `Write: header ${name} contains "${value!.replaceAll('"', '')}"`,
  ],
  [
    /^body\s+is\s+(?:valid\s+)?json\b/i,
    'Write: header content-type contains "json"; a path reads the body as JSON: $ exists',
  ],
  [
    /^(?:response[._ -]?time|(?:response|res)\.(?:time|duration|elapsed)|duration|latency|elapsed|took|milliseconds|ms)\b/i,
    "Write 'time': time < 300 ms",
  ],
  [/^(?:response|res|resp|reply|answer|result)\.?\s*$/i, "Write 'body', or '$' for what its JSON holds."],
  [
    /^(?:response|res|resp|reply|answer|result)\b/i,
    'What a response offers stands alone: status, time, size, header content-type, body, $.id',
  ],
  [/^body\s+(\$\S*)/i, ([, path]) => `A path stands alone: ${path}`],
  [
    /^(?:json[_-]?path|json|jp|jq|path)\s*\(?\s*["']?(\$?\.[^\s"')]*)/i,
    ([, path]) => `A path stands alone: ${path!.startsWith('$') ? path : `$${path}`}`,
  ],
  [/^(?:json[_-]?path|json|jp|jq)\b/i, 'A path stands alone: $.id = 417'],
  [/^(?:xpath)\b/i, 'An XPath begins with xml: xml//tide/@no = 1, or xml("count(//tide)") = 2'],
  [/^(?:css|selector|dom|element)\b/i, 'A CSS selector stands in html(…): html("main > h1") = "North Quay"'],
  [/^\.(?=\w|\[)(\S*)/, ([, way]) => `A path begins with '$': $.${way}`],
  [/^@\.?(\S*)/, ([, way]) => `A path begins with '$': $.${way}`],

  [
    /^(?:keep\s+)?(\$\S*)\s+(\/.+?\/[ims]*)(?=\s|$)/,
    ([, path, pattern]) => `What a pattern finds in a value: find(${path}, ${pattern})`,
  ],
  [
    /^(.+?)\s+in\s+\(\s*([^()=<>]+?)\s*\)/,
    ([, value, items]) => `Write the values alone: ${value} in ${items}`,
  ],

  // words that lead a check
  [
    /^(?:assert|assertion|expect|check|verify|ensure|must|should|shall|require|test|validate|confirm|that|then|given|also|and)\b/i,
    checkAlone,
  ],

  // values and their names
  [
    /^(?:set|var|const|def|define|variable|local|global|assign|declare)\b/i,
    'A value gets its name by: let NAME = VALUE; one of a response by: keep $.id as NAME',
  ],
  [
    /^(?:save|capture|store|extract|remember|export|grab|fetch|read|take|get|retain|bind|collect|read)\b(?!\s+[/{]|\s+https?:)/i,
    'A value of a response is kept by: keep $.id as NAME',
  ],
  [
    /^keep\s+as\s+([A-Za-z][\w-]*)\s+(\S.*?)\s*$/i,
    ([, name, value]) => `The value stands first: keep ${value} as ${name}`,
  ],
  [
    /^keep\s+([A-Za-z][\w-]*)\s*$/,
    ([, name]) => `It says which value, and its name: keep $.${name} as ${name}`,
  ],
  [
    /^(\$\S*|header\s+\S+|cookie\s+\S+|location|body)\s*(?:->|=>|\bas\b|\binto\b)\s*\{?([A-Za-z][\w-]*)\}?\s*$/i,
    ([, value, name]) => `A value of a response is kept by: keep ${value} as ${name}`,
  ],
  [
    /^keep\s+([A-Za-z][\w-]*)\s*(?:=|:|from\b|:=)\s*(\S.*?)\s*$/i,
    ([, name, value]) => `The value stands first: keep ${value} as ${name}`,
  ],
  [
    /^keep\s+(.+?)\s*(?:->|=>|\bin(?:to)?\b|\bto\b|=)\s*\{?([A-Za-z][\w-]*)\}?\s*$/i,
    ([, value, name]) => `Write 'as': keep ${value} as ${name}`,
  ],
  [
    /^keep\s+(.+?)\s+as\s+\{\s*([A-Za-z][\w-]*)\s*\}/i,
    ([, value, name]) => `Here the name has no braces: keep ${value} as ${name}`,
  ],
  [
    /^keep\s+(.+?)\s+as\s+["'$]([A-Za-z][\w-]*)["']?/i,
    ([, value, name]) => `The name stands alone: keep ${value} as ${name}`,
  ],
  [
    /^let\s+\{\s*([A-Za-z][\w-]*)\s*\}\s*=?\s*(.*)$/i,
    ([, name, value]) => `Here the name has no braces: let ${name} = ${value}`,
  ],
  [
    /^let\s+\$?([A-Za-z][\w-]*)\s*(?::=?|==|be\b|to\b|is\b)\s*(.*)$/i,
    ([, name, value]) => `Write '=': let ${name} = ${value}`,
  ],
  [
    /^\{?([A-Za-z][\w-]*)\}?\s*:=\s*(.*)$/,
    ([, name, value]) => `A value gets its name by: let ${name} = ${value}`,
  ],

  // doing things
  [/^(?:sleep|delay|pause)\b/i, 'Waiting is written: wait 3 s'],
  [
    /^wait\s+(?:for|until)\b/i,
    'Write: wait 3 s; until something holds: repeat every 500 ms for 10 s until $.state = "moored"',
  ],
  [/^skip\s+(?:if|where|unless)\b/i, 'Write \'when\': skip when {berth} = "0733"'],
  [
    /^(?:if|when|unless|else|switch|case)\b/i,
    'A case is left out by: skip when {berth} = "0733"; either of two conditions holds by: A or B',
  ],
  [
    /^(?:retry|poll|until|eventually|repeat)\b/i,
    'A request is sent again by: repeat every 500 ms for 10 s until $.state = "moored"',
  ],
  [
    /^(?:for(?:[_ -]?each)?|while|loop|iterate|with)\b/i,
    'A case runs for each row or item by: each row of "vessels.csv", each {codes} as code; a check for each item by: each $.berths[*].depth > 4',
  ],
  [
    /^(?:print|log|echo|console|debug|dump|puts)\b/i,
    'Nothing is printed by a page; mervok run --verbose shows every request and response.',
  ],
  [
    /^(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS)\s+(?:[/{]|https?:)/i,
    'A request stands in a fence of its own, which begins with ```http',
  ],
  [/^(?:send|call|request|visit)\b/i, 'A request stands in a fence of its own, which begins with ```http'],
  [
    /^(?:import|include|require|use|load|run|depends?|needs?)\b/i,
    'Names come from other pages by themselves; what has to run before is a setting: needs: [sign-in.md#sign-in]',
  ],
  [/^(?:cleanup|clean-?up|teardown|finally|after)\b/i, "Write 'cleanup', alone: its case runs at the end."],
  [
    /^(?:env|environment|process|os)\b/i,
    'A variable of the process environment is a setting: variables: { home: { os: SKERRY_HOME } }',
  ],
  [
    /^(?:function|return|class|import|async|await|try|throw|new)\b/i,
    'Statements are no script; each is a check, or begins with keep, let, wait, repeat, skip or each.',
  ],
  [
    /^(?:any|exists?|has|contains?|there)\b/i,
    'Write the condition behind what it is about: $.id exists; for one of several: some $.berths[*].state = "free"',
  ],
  [/^(?:every|forall|all[_ -]?of)\b/i, 'Write \'each\': each $.berths[*].state = "free"'],
  [/^(?:none|nobody|never)\b/i, 'Write \'no\': no $.berths[*].state = "closed"'],
  [/^(?:no|not)[_ -]?(?:one|any|none)\b/i, 'Write \'no\': no $.berths[*].state = "closed"'],
  [
    /^(?:len|length|size|count|number)\s*\(?\s*(\$[^\s)]*?)(\[\*\])?\s*(?:\)|\s|$)/i,
    ([, path]) => `Write: count ${path}[*], or length(${path})`,
  ],
  [/^(\$\S*)\s*\|\s*(?:length|size|count)\b/i, ([, path]) => `Write: count ${path}[*], or length(${path})`],
  [
    /^(\$\S*)\s+(all|each|every|some|any|no|none)\b\s*(.*)$/i,
    ([, path, word, rest]) => `The word stands first: ${quantifierHere(word!)} ${path} ${rest}`.trimEnd(),
  ],
  [/^(.+?)\s+exists\s+not\b/i, ([, value]) => `Write: ${value} absent`],
  [/^(.+?)\s+is\s+not\s+empty\s+\w+/i, ([, value]) => `Write: ${value} is not empty`],
  [/^(.+?)\s+is\s+between\b/i, ([, value]) => `Write 'between' alone: ${value} between 1 and 4`],
  [
    /^(.+?)\s+between\s+(\S+?)\.\.\.?(\S+)/i,
    ([, value, low, high]) => `Write: ${value} between ${low} and ${high}`,
  ],
  [
    /^((?:\$|header\s|body\b|cookie\s)\S*?)\.(?:length|size|count)\(\)/i,
    ([, value]) => `Write: length(${value})`,
  ],
  [/^(.+?)\s+(?:is\s+)?(?:exactly\s+)?one\s+of\b/i, ([, value]) => `Write 'in': ${value} in 200, 201`],
];

/** The same for what may as well be a slip of the pen. */
export const guesses: readonly Row[] = [
  [
    /^([A-Za-z][\w-]*)\s*[:=]\s*(\$\S*|header\s+\S+|cookie\s+\S+)\s*$/,
    ([, name, value]) => `A value of a response is kept by: keep ${value} as ${name}`,
  ],
];

const quantifiersHere: ReadonlyMap<string, string> = new Map([
  ['all', 'each'],
  ['every', 'each'],
  ['any', 'some'],
  ['none', 'no'],
]);

function quantifierHere(word: string): string {
  return quantifiersHere.get(lower(word)) ?? lower(word);
}
