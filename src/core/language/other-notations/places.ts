import { lower, type Row, type Says } from './row.ts';
import { isTypeElsewhere, typeHere } from './types.ts';

const comparedWith = (symbol: string) => `Write '${symbol}'.`;

/** By what stands where a value is wanted, up to the line end. */
export const values: readonly Row[] = [
  [/^(today|now)\b/i, ([, word]) => `Write: ${lower(word!)}()`],
  [/^(\.\d+)/, ([, digits]) => `Digits stand before the point as well: 0${digits}`],
  [/^\+(\d[\d.]*)/, ([, number]) => `A number has no plus before it: ${number}`],
  [/^>\s*(\S+)/, ([, value]) => `Write '>=': >= ${value}`],
  [/^<\s*(\S+)/, ([, value]) => `Write '<=': <= ${value}`],
  [/^[“”„‟«‘’‚]([^“”»‘’"]*)[“”»’]?/, ([, text]) => `A text stands in straight double quotes: "${text}"`],
];

/** By what stands before the place where a statement cannot be read, and from there on. */
export const within: readonly (readonly [before: RegExp, rest: RegExp, says: Says])[] = [
  [/\d$/, /^[,_]\d{3}/, 'The digits of a number stand together: 1000'],
  [/\d\s*$/, /^%/, 'A number has no percent sign: 50, or 0.5 for a share.'],
  [/./, /^;/, "A statement ends with its line; there is no ';'."],
  [/./, /^,\s*$/, "Nothing follows the comma. Several values stand behind 'in': status in 200, 201"],
  [/\bbetween\s+\S+\s+and\s*$/, /^$/, 'The upper limit stands here: between 1 and 4'],
  [/\b(?:and|or)\s*$/, /^$/, 'A condition follows here: status = 200 or status = 201'],
  [/\bbody\s+$/i, /^(?:size|length)\b/i, "Write 'size' alone: size < 1 kB"],
  [/\buuid\s+$/i, /^v\d/i, 'Write: is uuid'],
  [/\bor\s+$/, /^\w+/, ([type]) => (isTypeElsewhere(type) ? `Write '${typeHere(type)}'.` : undefined)],
  [
    /\bmatches\s+$/,
    /^(?:date|time|timestamp|uuid|url|email|number|integer)\w*/i,
    ([type]) => `Write: is ${typeHere(type)}`,
  ],
  [/\bis\s+$/, /^(?:iso|rfc)[\w-]*/i, 'Write: is timestamp, or is date'],
  [/!\s*$|[^=!<>]\s*$/, /^!\s+=/, comparedWith('!=')],
  [
    /\bnot\s+$/,
    /^(null|empty|number|text|list|object|boolean|unique|sorted)\b/i,
    ([, type]) => `Write: is not ${type}`,
  ],
];

/** By what stands where it cannot be read, up to the line end. */
export const places: readonly Row[] = [
  [/^(?:===?)(?!=)/, comparedWith('=')],
  [/^:=/, comparedWith('=')],
  [/^≠/, comparedWith('!=')],
  [/^≈|^~(?=\s*\d)/, 'Write: between 2.9 and 3.1'],
  [/^(?:should|must|shall)\s+(?:be|equal)\b(?!\s+(?:greater|less|more|at|in|one|an?)\b)/i, comparedWith('=')],
  [/^(?:does\s+not|doesn'?t)\s+exists?\b/i, "Write 'absent'."],
  [
    /^(?:does\s+not|doesn'?t)\s+(contain|match|include|start|end|fit)\w*/i,
    ([, word]) =>
      `Write 'not' before the word: not ${lower(word!) === 'match' ? 'matches' : `${lower(word!)}s`}`,
  ],
  [/^(?:isn'?t|aint)\b/i, "Write 'is not', or '!=' before a value."],
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
