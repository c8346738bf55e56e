// What people bring from other notations, and how it is said here. It is looked at only where a statement cannot be read.

/** What a row says, of what it has found. */
type Says = string | ((found: RegExpMatchArray) => string);
type Row = readonly [found: RegExp, says: Says];

const lower = (text: string) => text.toLowerCase();

/** `response.body.items[0].id` as a path: `$.items[0].id`. */
const pathOf = (way: string) => `$${way.replace(/\?\./g, '.')}`;

const checkAlone: Says = 'A check stands alone, without a word before it: status = 200';
const comparedWith = (symbol: string) => `Write '${symbol}'.`;

/** By what a statement begins with, up to its line end. */
const statements: readonly Row[] = [
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
  [/^headers\s+(\S+)/i, ([, name]) => `A header is written: header ${name}`],
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
    /^(?:len|size|count|number)\s*\(\s*(\$[^\s)]*)\s*\)/i,
    ([, path]) => `Write: count ${path}[*], or length(${path})`,
  ],
  [
    /^((?:\$|header\s|body\b|cookie\s)\S*?)\.(?:length|size|count)\(\)/i,
    ([, value]) => `Write: length(${value})`,
  ],
  [/^(.+?)\s+(?:is\s+)?(?:exactly\s+)?one\s+of\b/i, ([, value]) => `Write 'in': ${value} in 200, 201`],
];

/** The same for what may as well be a slip of the pen. */
const guesses: readonly Row[] = [
  [
    /^([A-Za-z][\w-]*)\s*[:=]\s*(\$\S*|header\s+\S+|cookie\s+\S+)\s*$/,
    ([, name, value]) => `A value of a response is kept by: keep ${value} as ${name}`,
  ],
];

/** By what stands where it cannot be read, up to the line end. */
const places: readonly Row[] = [
  [/^(?:===?)(?!=)/, comparedWith('=')],
  [/^:=/, comparedWith('=')],
  [/^≠/, comparedWith('!=')],
  [/^(?:≥|=>)/, comparedWith('>=')],
  [/^(?:≤|=<)/, comparedWith('<=')],
  [/^(?:!~|~=?|=~)/, "Write 'matches' and a pattern: $.code matches /^[0-9]{4}$/"],
  [/^(?:is\s+)?not\s+equals?(?:\s+to)?\b/i, comparedWith('!=')],
  [/^(?:is\s+)?(?:not[_-]?equals?|neq?|differs?(?:\s+from)?)\b/i, comparedWith('!=')],
  [
    /^(?:is\s+)?(?:equals?|eq|equal[_ -]?to|same(?:\s+as)?|be|to[_ -]?be|to[_ -]?equal|toequal|tobe)\b/i,
    comparedWith('='),
  ],
  [
    /^(?:is\s+)?(?:gte|ge|at[_ -]?least|greater[_ -]?(?:than[_ -]?)?or[_ -]?equal(?:[_ -]?to)?)\b/i,
    comparedWith('>='),
  ],
  [
    /^(?:is\s+)?(?:lte|le|at[_ -]?most|less[_ -]?(?:than[_ -]?)?or[_ -]?equal(?:[_ -]?to)?)\b/i,
    comparedWith('<='),
  ],
  [
    /^(?:is\s+)?(?:gt|greater(?:[_ -]?than)?|more(?:[_ -]?than)?|above|over|larger(?:[_ -]?than)?|bigger(?:[_ -]?than)?|after)\b/i,
    comparedWith('>'),
  ],
  [
    /^(?:is\s+)?(?:lt|less(?:[_ -]?than)?|fewer(?:[_ -]?than)?|below|under|smaller(?:[_ -]?than)?|before)\b/i,
    comparedWith('<'),
  ],
  [/^starts?[_-]?with\b|^begins?(?:[_ -]?with)?\b|^prefix(?:ed)?\b/i, "Write 'starts with'."],
  [/^ends?[_-]?with\b|^suffix(?:ed)?\b/i, "Write 'ends with'."],
  [
    /^(?:reg[_-]?exp?|regex|like|match(?:es)?[_-]?\w*|pattern)\b/i,
    "Write 'matches' and a pattern: $.code matches /^[0-9]{4}$/",
  ],
  [
    /^(?:has|have|having)[_ -]?(?:length|size|count)\b/i,
    'Write: count $.berths[*] = 3, or length($.code) = 4',
  ],
  [/^(?:has|have|having)\s+\d/i, 'Write: count $.berths[*] = 3, or length($.code) = 4'],
  [/^(?:length|len|size|count)\b/i, 'Write: count $.berths[*] = 3, or length($.code) = 4'],
  [
    /^(?:has|have|having|contain|containing|include|holds?|with)\b/i,
    'Write \'contains\' for a part of a text or an item, \'includes\' for a part of an object: $ includes { "code": "0417" }',
  ],
  [/^(?:schema|conforms?|validates?|satisf(?:y|ies)|complies)\b/i, "Write 'fits': $ fits berth"],
  [/^(?:type[_ -]?of|of[_ -]?type|type|instance[_ -]?of|isa)\b/i, "Write 'is': $.depth is number"],
  [
    /^is[_-]?(null|empty|unique|sorted|number|text|boolean|list|object|integer)\b/i,
    ([, type]) => `Write: is ${lower(type!)}`,
  ],
  [/^is[_-]?string\b/i, 'Write: is text'],
  [/^is[_-]?array\b/i, 'Write: is list'],
  [/^(?:an?|the)\s+([A-Za-z]+)/i, ([, type]) => `A type stands alone: is ${typeHere(type!)}`],
  [/^(?:present|defined|there|found|set|given|available|existing)\b/i, "Write 'exists'."],
  [
    /^(?:missing|undefined|unset|not[_-]?(?:found|present|set)|absent|gone|nil|none)\b/i,
    "Write 'absent'; for a value that is null: is null",
  ],
  [/^(?:blank|void)\b/i, "Write 'is empty'."],
  [/^(true|false)\b/i, ([, value]) => `Write '=': = ${lower(value!)}`],
  [/^(?:distinct|uniq)\b/i, "Write 'is unique'."],
  [/^(?:ordered|ascending|asc)\b/i, "Write 'is sorted'."],
  [/^(?:descending|desc)\b/i, "Write 'is sorted down'."],
  [/^(?:ok|success(?:ful)?)\b/i, 'Write: status is 2xx'],
  [/^(?:exist|existing)\b/i, "Write 'exists'."],
  [/^one[_ -]?of\b/i, "Write 'in': status in 200, 201"],
];

const typesHere: ReadonlyMap<string, string> = new Map([
  ['string', 'text'],
  ['str', 'text'],
  ['array', 'list'],
  ['int', 'integer'],
  ['float', 'number'],
  ['double', 'number'],
  ['decimal', 'number'],
  ['long', 'integer'],
  ['bool', 'boolean'],
  ['map', 'object'],
  ['dict', 'object'],
  ['hash', 'object'],
  ['nil', 'null'],
  ['none', 'null'],
  ['datetime', 'timestamp'],
  ['time', 'timestamp'],
  ['instant', 'timestamp'],
  ['guid', 'uuid'],
  ['uri', 'url'],
  ['link', 'url'],
]);

/** A type as other notations call it, as it is called here. */
export function typeHere(word: string): string {
  return typesHere.get(lower(word)) ?? lower(word);
}

/** Whether a word is what other notations call a type. */
export function isTypeElsewhere(word: string): boolean {
  return typesHere.has(lower(word));
}

/** What cannot be read of a statement, and where. */
export interface Unread {
  /** The line in which it begins. */
  readonly statement: string;
  /** What stands where it cannot be read, up to the line end. */
  readonly rest: string;
  /** Whether that is where it begins. */
  readonly atStart: boolean;
}

/** What mends a statement that is written as another notation has it; nothing where none is known. */
export function remedyFor({ statement, rest, atStart }: Unread): string | undefined {
  const before = statement.slice(0, statement.length - rest.length);
  const wantsValue = /[=<>]\s*$/.test(before);
  if (!atStart) {
    const bare = /^file\s+([^\s"']+)/.exec(rest)?.[1];
    if (bare !== undefined) return `The path of a file stands in quotes: file "${bare}"`;
    if (wantsValue && /^(?:nil|none|undefined|nan)\b/i.test(rest))
      return `Write 'null'; for what is not there: ${before.replace(/\s*[=!<>]+\s*$/, '')} absent`;
    const [, low, value, high] =
      (/^<=?/.test(rest) && /^([^<>=]+?)\s*<=?\s*([^<>=]+?)\s*<=?\s*([^<>=]+?)\s*$/.exec(statement)) || [];
    if (low !== undefined) return `Write: ${value} between ${low} and ${high}; both ends are included.`;
    if (/^=\s*true\b/.test(rest) && /\b(?:exists|absent|empty|unique|sorted|down)\s+$/.test(before))
      return 'A condition stands alone, without a comparison behind it.';
    if (/^,/.test(rest) && /\bbetween\s+\S+\s*$/.test(before))
      return `Write 'and': between 1 and 2; both ends are included.`;
  }
  const behind = atStart || wantsValue ? undefined : foundBehind(before, rest);
  return behind ?? found(statements, statement);
}

/** The same where a word that is nearly the same is known here. */
export function guessFor({ statement }: Unread): string | undefined {
  return found(guesses, statement);
}

function foundBehind(before: string, rest: string): string | undefined {
  if (!/\bnot\s+$/.test(before)) return found(places, rest);
  const says = found(places, `not ${rest}`) ?? found(places, rest);
  return says && /^Write '[<>]/.test(says) ? `${says} 'not' stands before the whole condition.` : says;
}

function found(rows: readonly Row[], text: string): string | undefined {
  for (const [pattern, says] of rows) {
    const match = text.match(pattern);
    if (match) return typeof says === 'string' ? says : says(match);
  }
  return undefined;
}
