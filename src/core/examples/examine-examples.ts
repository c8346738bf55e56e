import type { CollectionCase } from '../analysis/collection.ts';
import type { Flow } from '../analysis/flow.ts';
import type { Plan, PlannedCase } from '../analysis/plan.ts';
import { weighted } from '../analysis/weights.ts';
import { type Finding, finding, findingOf } from '../model/finding.ts';
import { type Broken, noChance, OfflineCaseRun } from '../replay/offline-case-run.ts';
import { IterationScope } from '../runner/scope.ts';
import { NamedValues } from '../secrecy/named-values.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { ExampleOfAnswer, PlannedStep } from '../steps/step.ts';
import { didYouMean } from '../text/words.ts';
import { NamesBefore, nothingOutside } from './names-before.ts';

/**
 * What is wrong with the examples of a plan, by its pages alone: those that cannot be read, names that nothing gives, and
 * checks that an example contradicts for certain, whatever the values will be that only a run can tell.
 */
export async function examineExamples(plan: Plan, flow: Flow): Promise<Finding[]> {
  if (!plan.pages.some(({ cases }) => cases.some(hasExamples))) return [];
  const cases = new Map(flow.collection.pages.flatMap(page => page.cases).map(each => [each.address, each]));
  const iteration = new IterationScope(plan, nothingOutside, {
    values: new NamedValues(plan.secretNames, { addValue: () => undefined }, 'passing'),
    chanceFor: () => noChance,
  });
  const isFixed = fixedVariables(plan, flow);
  const findings: Finding[] = [];
  for (const page of plan.pages) {
    const scope = iteration.openPage(page, {} as never);
    for (const planned of page.cases) {
      const each = cases.get(planned.address)!;
      const names = new NamesBefore(scope, planned, { rows: new Set(flow.rowNames(each)), isFixed });
      findings.push(...examineCase(planned, new OfflineCaseRun(plan, planned, names)));
      findings.push(...unknownNames(planned, each, flow));
    }
  }
  return weighted(findings, flow.collection);
}

function hasExamples({ steps }: PlannedCase): boolean {
  return steps.some(({ examples }) => examples !== undefined && examples.length > 0);
}

/** Whether a variable is the same wherever the pages run. */
function fixedVariables(
  { given, secretNames }: Plan,
  flow: Flow,
): (definition: VariableDefinition) => boolean {
  const ofEnvironment = new Set(flow.environment.values());
  return definition =>
    definition.os === undefined &&
    definition.file === undefined &&
    !given.has(definition.name) &&
    !secretNames.has(definition.name) &&
    !ofEnvironment.has(definition);
}

/** Carries out what looks at the answers of a case against its examples. */
function examineCase({ steps }: PlannedCase, run: OfflineCaseRun): Finding[] {
  const findings: Finding[] = [];
  let example: ExampleOfAnswer | undefined;
  for (const step of steps) {
    if (step.operation !== undefined) {
      const { examples = [], repetition } = step;
      findings.push(...examples.flatMap(({ source, errors }) => errors.map(each => findingOf(each, source))));
      const sound = examples.filter(({ errors }) => errors.length === 0);
      example = sound.at(-1);
      if (repetition)
        for (const each of sound.slice(0, -1)) findings.push(...endsEarly(each, repetition, run));
      run.answer(example?.answer(run.evaluation));
      if (!example || !repetition) continue;
    }
    const { goesOn, broken } = run.judge(step.operation === undefined ? step : step.repetition!.until);
    if (example) findings.push(...broken.map(each => contradicted(example!, each)));
    if (!goesOn) break;
  }
  return findings;
}

/** An example that others follow must leave open that the request is sent again. */
function endsEarly(
  example: ExampleOfAnswer,
  { until }: NonNullable<PlannedStep['repetition']>,
  run: OfflineCaseRun,
): Finding[] {
  run.answer(example.answer(run.evaluation));
  const { isOpen, broken } = run.judge(until);
  if (isOpen || broken.length > 0) return [];
  return [
    finding(
      'example-contradicts',
      example,
      `Nothing is sent again after this example: \`${until.text}\` holds for it, and others follow.`,
      'What comes before the last answer leaves it undecided, or false.',
    ),
  ];
}

function contradicted(
  example: ExampleOfAnswer,
  { text, place: { file, line }, expected, found, at }: Broken,
): Finding {
  const where = at === undefined ? '' : ` at ${at}`;
  const why = found === undefined ? '' : `: expected ${expected}, found ${found}${where}`;
  return finding(
    'example-contradicts',
    example,
    `This example contradicts \`${text}\` (${file}:${line})${why}.`,
    'Mend one of them. What a run gets is written here by: mervok run --examples write',
  );
}

/** Braces in examples that would be a reference if anything gave the name. */
function unknownNames({ steps }: PlannedCase, user: CollectionCase, flow: Flow): Finding[] {
  return steps.flatMap(({ examples = [] }) =>
    examples.flatMap(({ references, source }) =>
      references
        .filter(({ name, range }) => {
          const use = { name, range, source, step: user.written.steps.length };
          return !flow.bind(use, user) && !namesAround(user, flow).includes(name);
        })
        .map(({ name, range }) =>
          finding(
            'example-name',
            { source, range },
            `Nothing gives the name '${name}' that this example refers to, so it stands for any value.`,
            didYouMean(name, namesAround(user, flow)) ??
              `A brace that is meant as one is written \\{${name}}.`,
          ),
        ),
    ),
  );
}

/** What is made anywhere on the page, or kept for all pages. */
function namesAround(user: CollectionCase, flow: Flow): string[] {
  const variables = user.levels.flatMap(level => [...level.variables.keys()]);
  return [...flow.namesMadeOn(user.page), ...flow.keptNames, ...variables];
}
