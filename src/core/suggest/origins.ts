import { isMadeOfSecret } from '../language/evaluation-context.ts';
import { Missing, type Value } from '../model/value.ts';
import { partPath } from '../replay/changes/json-changes.ts';
import { percentDecoded } from '../text/percent.ts';
import { DocumentPart } from '../values/document-parts.ts';
import { isNumeric } from '../values/number.ts';
import { isOpen } from '../values/open-value.ts';
import { textOf } from '../values/text.ts';
import { formFields } from './form-fields.ts';
import { literal } from './literal.ts';
import { charactersOf } from './places.ts';
import type { Observation } from './subject.ts';

/** Something that was known or sent before the answer came, so that the answer may be about it. */
export interface Origin {
  /** As a check writes it: `{nights}`, `"free"`, `sent $.nights`. */
  readonly text: string;
  /** The word that it goes by: `nights`. */
  readonly name: string;
  /** By answer. */
  readonly values: readonly Value[];
  /** What it is, in words. */
  readonly words: string;
  readonly isName: boolean;
  /** Whether it stands in what was asked, rather than only being known. */
  readonly isSent: boolean;
}

/**
 * What a request was about: names, what its target says, members of its body.
 * @param mayUse whether a check of the case may refer to a name
 */
export function originsOf(observations: readonly Observation[], mayUse: (name: string) => boolean): Origin[] {
  const sent = [
    ...targetsIn(observations),
    ...membersIn(observations),
    ...fieldsIn(observations),
    ...typeIn(observations),
  ];
  const isSent = (values: readonly Value[]) =>
    sent.some(each => values.every((value, at) => charactersOf(value) === charactersOf(each.values[at]!)));
  const names = namesIn(observations, mayUse).map(name => ({ ...name, isSent: isSent(name.values) }));
  return [...names, ...sent];
}

function namesIn(observations: readonly Observation[], mayUse: (name: string) => boolean): Origin[] {
  return [...observations[0]!.bound.keys()].flatMap(name => {
    const entries = observations.map(({ bound }) => bound.get(name));
    if (!mayUse(name) || entries.some(entry => !entry || isMadeOfSecret(entry) || !isScalar(entry.value)))
      return [];
    const values = entries.map(entry => entry!.value);
    return [{ text: `{${name}}`, name, values, words: `{${name}}`, isName: true, isSent: false }];
  });
}

function isScalar(value: Value): boolean {
  if (isOpen(value)) return false;
  return typeof value === 'string' || isNumeric(value) || textOf(value) !== undefined;
}

/** What stands in the target, where it is the same each time: it is written out in the page. */
function targetsIn(observations: readonly Observation[]): Origin[] {
  const urls = observations.flatMap(({ answer }) => {
    const url = answer.sent()?.field('url', '');
    return url instanceof Missing || !url?.[0] || !URL.canParse(url[0]) ? [] : [new URL(url[0])];
  });
  if (urls.length < observations.length) return [];
  const [first] = urls as [URL];
  const origins: Origin[] = [];
  for (const [name, value] of first.searchParams)
    if (urls.every(({ searchParams }) => searchParams.get(name) === value))
      origins.push(...writtenOut(name, value, `${name}=${value}`, urls.length));
  const segments = first.pathname.split('/').map(percentDecoded);
  for (const [at, segment] of segments.entries())
    if (
      segment.length > 2 &&
      urls.every(url => percentDecoded(url.pathname.split('/')[at] ?? '') === segment)
    )
      origins.push(...writtenOut(segments[at - 1] ?? '', segment, segment, urls.length));
  return origins;
}

function writtenOut(name: string, value: string, words: string, times: number): Origin[] {
  const isNumber = /^-?(?:0|[1-9]\d{0,14})(?:\.\d+)?$/.test(value);
  const values: Value[] = isNumber ? [Number(value), value] : [value];
  return values.flatMap(each => {
    const text = literal(each);
    return text === undefined
      ? []
      : [
          {
            text,
            name,
            values: Array.from({ length: times }, () => each),
            words,
            isName: false,
            isSent: true,
          },
        ];
  });
}

/** Members of a JSON body that was sent. */
function membersIn(observations: readonly Observation[]): Origin[] {
  const documents = observations.flatMap(({ answer }) => {
    const document = answer.sent()?.hasContent ? answer.sent()!.document : undefined;
    return document === undefined || document instanceof Missing ? [] : [document];
  });
  if (documents.length < observations.length) return [];
  return [...DocumentPart.of(documents).all()].flatMap(part => {
    const values = part.values.flatMap(own => own.slice(0, 1));
    if (
      part.isRepeated ||
      part.name === undefined ||
      values.length < documents.length ||
      !values.every(isScalar)
    )
      return [];
    return [
      {
        text: `sent ${partPath(part.way)}`,
        name: part.name,
        values,
        words: `the ${part.name} that was sent`,
        isName: false,
        isSent: true,
      },
    ];
  });
}

/** The media type of a body that was sent. */
function typeIn(observations: readonly Observation[]): Origin[] {
  const types = observations.map(({ answer }) => answer.sent()?.contentType ?? '');
  if (types.includes('')) return [];
  const text = 'sent header content-type';
  return [
    { text, name: 'type', values: types, words: 'the type that was sent', isName: false, isSent: true },
  ];
}

/** Fields of a form that was sent. */
function fieldsIn(observations: readonly Observation[]): Origin[] {
  const forms = observations.map(({ answer }) => {
    const sent = answer.sent();
    return typeof sent?.body === 'string'
      ? formFields(sent.body, sent.contentType ?? '')
      : new Map<string, string>();
  });
  return [...forms[0]!].flatMap(([name, value]) =>
    value !== '' && forms.every(form => form.get(name) === value)
      ? writtenOut(name, value, `the ${name} that was sent`, forms.length)
      : [],
  );
}
