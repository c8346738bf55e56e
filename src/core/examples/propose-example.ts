import type { PlannedCase } from '../analysis/plan.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import type { Place } from '../model/place.ts';
import { type Found, isObject, Missing, type Value } from '../model/value.ts';
import { DocumentView } from '../replay/changes/changed-view.ts';
import { noChance, OfflineCaseRun, openEntry } from '../replay/offline-case-run.ts';
import type { OfferedAnswer, PassedCase } from '../runner/run-options.ts';
import { ExampleComparison } from '../steps/http/example/compare-example.ts';
import type { PlannedExample } from '../steps/http/example/planned-example.ts';
import { differencesOf, shapeOf, unionOf } from '../steps/http/example/shape.ts';
import { jsonOf, type KnownNames, originOf, writeExample } from '../steps/http/example/write-example.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import { ResponseView } from '../steps/http/response-view.ts';
import type { Answer } from '../steps/step.ts';
import { sizeText } from '../values/text.ts';
import type { ExampleEdit } from './put-example.ts';

/** An example that a page should have, or why it cannot. */
export type Proposal = { readonly place: Place } & (
  | { readonly edit: ExampleEdit; readonly refusal?: undefined }
  | { readonly refusal: string; readonly edit?: undefined }
);

/** In characters: a longer example would be read by nobody. */
const longest = 8192;
/** Of more lines, long lists are cut. */
const mostLines = 40;
/** So many items of a list are shown then. */
const mostItems = 3;

/**
 * Examples for the requests of a case that have none, or none that is like what came.
 * @param isContradicted whether a check of its page contradicts an example
 */
export async function proposeExamples(
  passed: PassedCase,
  isContradicted: (example: PlannedExample) => boolean,
): Promise<Proposal[]> {
  const proposals: Proposal[] = [];
  for (const offered of passed.answers) {
    const { step, answer } = offered;
    if (!(step instanceof HttpStep) || !(answer.response instanceof ResponseView)) continue;
    const place = placeFor(step, answer.response, isContradicted);
    if (!place) continue;
    const text = textFor(step, answer.response, offered, passed);
    const refusal = refusalOf(text, passed);
    proposals.push({
      place: step.place,
      ...(refusal === undefined ? { edit: { line: step.place.line, ...place, text } } : { refusal }),
    });
  }
  return proposals;
}

function refusalOf(text: string, { mask }: PassedCase): string | undefined {
  if (text.length > longest) return `what came is too long for one (${sizeText(text.length)})`;
  return mask(text) === text ? undefined : 'it would show a secret';
}

/** Where an example is to stand; nothing where those that are there are as what came, or say something else. */
function placeFor(
  { examples, repetition }: HttpStep,
  view: ResponseView,
  isContradicted: (example: PlannedExample) => boolean,
): Pick<ExampleEdit, 'replaces'> | undefined {
  const compared = new ExampleComparison(examples).compare(view);
  const last = examples.at(-1);
  if (!last) return {};
  if (compared && compared.differences.length > 0) return { replaces: compared.example.written.lines };
  if (last.errors.length > 0 || isContradicted(last)) return { replaces: last.written.lines };
  return !compared && repetition ? {} : undefined;
}

function textFor(step: HttpStep, view: ResponseView, offered: OfferedAnswer, passed: PassedCase): string {
  const { bound } = offered;
  const { base } = step.request;
  const names: KnownNames = {
    bound,
    secret: passed.secret,
    origin: base && originOf(base, contextOf(offered)),
    mask: text => passed.mask(text),
  };
  const write = (document?: Value) => writeExample(view, names, passed.plan.redacted.headers, document);
  const whole = write();
  const document = jsonOf(view);
  if (document instanceof Missing || whole.split('\n').length <= mostLines) return whole;
  const cut = withShortLists(document);
  const isSame = differencesOf(shapeOf(document), shapeOf(document), shapeOf(cut)).length === 0;
  if (!isSame || !allHold(answerWith(cut, view, offered), offered, passed)) return whole;
  return write(cut);
}

/** A document in which long lists have their first items alone, and those that show something else. */
function withShortLists(value: Value): Value {
  if (Array.isArray(value)) {
    const kept: Value[] = [];
    let known = unionOf([]);
    for (const item of value) {
      const shape = shapeOf(item);
      const isNew =
        !known ||
        differencesOf(known, known, shape).length > 0 ||
        differencesOf(shape, shape, known).length > 0;
      if (kept.length < mostItems || isNew) kept.push(withShortLists(item));
      known = unionOf([...(known ? [known] : []), shape]);
    }
    return kept;
  }
  if (!isObject(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, withShortLists(each)]));
}

function answerWith(document: Value, view: ResponseView, { answer }: OfferedAnswer): Answer {
  const response = new PartView(view, document);
  return { response, sent: answer.sent, fault: answer.fault };
}

/** A response of whose document only a part is shown. */
class PartView extends DocumentView {
  override word(word: string): Found {
    return word === 'size' ? Missing.unreadable('only a part of it is shown') : super.word(word);
  }

  /** Whatever looks at the text itself is for the whole one. */
  override get body(): Missing {
    return Missing.unreadable('only a part of it is shown');
  }
}

/** Whether all checks below an operation hold for an answer, whatever else becomes known. */
function allHold(answer: Answer, { step, bound }: OfferedAnswer, { plan, planned }: PassedCase): boolean {
  const known = new Map(bound);
  const run = new OfflineCaseRun(plan, planned, {
    lookup: name => known.get(name) ?? openEntry,
    give: ({ name }, entry) => void known.set(name, entry),
  });
  run.answer(answer);
  const until = step.repetition ? [step.repetition.until] : [];
  for (const each of [...until, ...stepsBelow(step, planned)]) {
    const { isOpen, broken, goesOn } = run.judge(each);
    if (isOpen || broken.length > 0) return false;
    if (!goesOn) break;
  }
  return true;
}

function stepsBelow(step: OfferedAnswer['step'], { steps }: PlannedCase): PlannedCase['steps'] {
  const at = steps.indexOf(step) + 1;
  const next = steps.findIndex((each, index) => index >= at && each.operation !== undefined);
  return steps.slice(at, next < 0 ? undefined : next);
}

/** The names that were known when an answer came. Throws TemplateError. */
function contextOf({ bound }: OfferedAnswer): EvaluationContext {
  return { response: undefined, lookup: name => bound.get(name), clockAndRandom: noChance, notes: [] };
}
