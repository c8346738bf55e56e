import type {
  Check,
  CompareOperator,
  Condition,
  Expression,
  Node,
  Predicate,
  Quantifier,
  StatementNode,
  TypeName,
} from '../core/language/ast.ts';
import type { Source } from '../core/model/source.ts';
import { type Kind, kindInWords } from '../core/model/value.ts';
import type { Keep } from '../core/steps/keep/keep.ts';
import type { Let } from '../core/steps/let/let.ts';
import type { Repeat } from '../core/steps/repeat.ts';
import type { Skip } from '../core/steps/skip/skip.ts';
import type { Wait } from '../core/steps/wait/wait.ts';
import { capitalized, inWords } from '../core/text/words.ts';

/** A part of a sentence: words, or what stands in the page as it is written. */
export type Piece = string | { readonly code: string };

/** A statement as a sentence for somebody who does not know the language. */
export function sentenceOf(statement: StatementNode, source: Source): Piece[] {
  const writer = new SentenceWriter(source);
  switch (statement.type) {
    case 'check':
      return writer.check(statement as Check);
    case 'keep': {
      const { value, name, otherwise } = statement as Keep;
      const or = otherwise ? [', or ', writer.code(otherwise), ' where it is not there,'] : [];
      return sentence([writer.subject(value), ...or, ' is kept as ', { code: name }]);
    }
    case 'let': {
      const { name, value } = statement as Let;
      return sentence([{ code: name }, ' is ', writer.code(value)]);
    }
    case 'repeat': {
      const { every, limit, until } = statement as Repeat;
      return sentence([
        'It is sent again every ',
        writer.code(every),
        ' for ',
        writer.code(limit),
        ' until ',
        ...writer.condition(until),
      ]);
    }
    case 'wait':
      return sentence(['Then ', writer.code((statement as Wait).duration), ' pass']);
    case 'skip':
      return sentence(['The case is left out when ', ...writer.condition((statement as Skip).when)]);
    default:
      return [{ code: statement.written }];
  }
}

/** Begins with a capital letter, where it begins with a word, and ends with a full stop. */
function sentence(pieces: readonly Piece[]): Piece[] {
  const [first, ...others] = joined(pieces);
  return [...(typeof first === 'string' ? [capitalized(first)] : first ? [first] : []), ...others, '.'];
}

function joined(pieces: readonly Piece[]): Piece[] {
  const result: Piece[] = [];
  for (const piece of pieces) {
    const last = result.at(-1);
    if (typeof piece === 'string' && typeof last === 'string') result[result.length - 1] = last + piece;
    else result.push(piece);
  }
  return result;
}

const comparisons: { readonly [operator in CompareOperator]: readonly [plain: string, negated: string] } = {
  '=': ['is', 'is not'],
  '!=': ['is not', 'is'],
  '<': ['is less than', 'is not less than'],
  '<=': ['is at most', 'is more than'],
  '>': ['is more than', 'is not more than'],
  '>=': ['is at least', 'is less than'],
};

const words = {
  contains: ['contains', 'does not contain'],
  starts: ['begins with', 'does not begin with'],
  ends: ['ends with', 'does not end with'],
  matches: ['matches', 'does not match'],
  includes: ['includes', 'does not include'],
} as const;

const quantifiers: { readonly [quantifier in Quantifier]: string } = {
  each: 'each of ',
  some: 'some of ',
  no: 'none of ',
};

class SentenceWriter {
  constructor(readonly source: Source) {}

  code({ range }: Node): Piece {
    return { code: this.source.text.slice(range.start, range.end).replace(/\s+/g, ' ').trim() };
  }

  check({ label, condition }: Check): Piece[] {
    const pieces = this.condition(condition);
    if (!label) return sentence(pieces);
    const words = label.parts.map(part => (typeof part === 'string' ? part : `{${part.name}}`)).join('');
    return sentence([`${capitalized(words)}: `, ...pieces]);
  }

  condition(condition: Condition): Piece[] {
    switch (condition.type) {
      case 'and':
      case 'or':
        return condition.conditions.flatMap((each, index) =>
          index === 0 ? this.#part(each) : [` ${condition.type} `, ...this.#part(each)],
        );
      case 'not':
        return ['it is not so that ', ...this.#part(condition.condition)];
      default: {
        const { quantifier, subject, predicate } = condition;
        return [
          ...(quantifier ? [quantifiers[quantifier]] : []),
          this.subject(subject),
          ' ',
          ...this.#predicate(predicate),
        ];
      }
    }
  }

  /** Of a condition that has others around it: what belongs together has to be seen. */
  #part(condition: Condition): Piece[] {
    const isGroup = condition.type === 'and' || condition.type === 'or';
    return isGroup ? ['(', ...this.condition(condition), ')'] : this.condition(condition);
  }

  /** What a sentence is about: words for what everybody knows, else as it is written. */
  subject(expression: Expression): Piece {
    if (expression.type !== 'source' || expression.sent || expression.hop !== undefined)
      return this.code(expression);
    switch (expression.form) {
      case 'status':
      case 'time':
      case 'size':
      case 'reason':
        return `the ${expression.form}`;
      case 'body':
        return expression.pattern ? this.code(expression) : 'the body';
      case 'header':
      case 'cookie':
        return expression.pattern ? this.code(expression) : `the ${expression.form} ${expression.argument}`;
      default:
        return this.code(expression);
    }
  }

  #predicate(predicate: Predicate): Piece[] {
    const not = predicate.negated ? 1 : 0;
    switch (predicate.test) {
      case 'compare':
        return [
          `${comparisons[predicate.operator][not]} `,
          this.code(predicate.value),
          ...(predicate.anyOrder ? [', in any order'] : []),
        ];
      case 'between':
        return [
          not ? 'does not lie between ' : 'lies between ',
          this.code(predicate.low),
          ' and ',
          this.code(predicate.high),
        ];
      case 'in':
        return [not ? 'is none of ' : 'is one of ', ...this.#list(predicate.values)];
      case 'fits':
        return [not ? 'does not fit the schema ' : 'fits the schema ', { code: predicate.schema }];
      case 'is':
        return [`${not ? 'is not' : 'is'} ${inWords(predicate.types.map(typeInWords), 'or')}`];
      case 'empty':
        return [not ? 'is not empty' : 'is empty'];
      case 'unique':
        return [not ? 'holds something twice' : 'holds nothing twice'];
      case 'sorted':
        return [not ? 'is not sorted' : 'is sorted'];
      case 'sorted-down':
        return [not ? 'is not sorted downwards' : 'is sorted downwards'];
      case 'exists':
        return [not ? 'is not there' : 'is there'];
      default:
        return [`${words[predicate.test][not]} `, this.code(predicate.value)];
    }
  }

  #list(values: readonly Expression[]): Piece[] {
    return values.flatMap((each, index) => [
      ...(index === 0 ? [] : [index === values.length - 1 ? ' and ' : ', ']),
      this.code(each),
    ]);
  }
}

function typeInWords(type: TypeName): string {
  if (/^\dxx$/.test(type)) return `one of ${type}`;
  switch (type) {
    case 'integer':
    case 'email':
    case 'url':
    case 'uuid':
      return { integer: 'an integer', email: 'a mail address', url: 'a URL', uuid: 'a UUID' }[type];
    default:
      return kindInWords(type as Kind);
  }
}
