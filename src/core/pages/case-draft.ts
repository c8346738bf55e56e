import type { Lines } from '../model/source.ts';
import { operationKindOf } from '../steps/kinds.ts';
import type { Repeat } from '../steps/repeat.ts';
import type { AttachedFence, WrittenExample, WrittenStep } from '../steps/step.ts';
import type { PageCase } from './page.ts';

/** A case while its page is read. */
export type Draft = { -readonly [Key in keyof PageCase]: PageCase[Key] } & {
  steps: WrittenStep[];
  fences: Lines[];
  /** An operation has been begun. */
  hasOperation: boolean;
  /** The step whose example, or a body of one, was the last fence: what is attached next belongs to it. */
  exampleOf: number | 'unreadable' | undefined;
  /** The last statement of the last fence, where it is one: it waits for its request. */
  repeat: Repeat | undefined;
  /** Something in it is wrong; it is a case all the same, for those who name it. */
  broken: boolean;
};

/**
 * An example belongs to the last request above it that can have one, whatever stands between them.
 * @param example nothing where it could not be read
 * @returns whether there is such a request
 */
export function addExample(draft: Draft, example: WrittenExample | undefined): boolean {
  const at = draft.steps.findLastIndex(step => operationKindOf(step)?.exampleAttachments);
  draft.exampleOf = at >= 0 && example ? at : 'unreadable';
  const step = draft.steps[at];
  if (step && example) draft.steps[at] = { ...step, examples: [...(step.examples ?? []), example] };
  return step !== undefined;
}

type Attached = AttachedFence & { readonly lines: Lines };

/**
 * A body, its variables or a query belongs to the operation, or the example, right above it, prose between them not counted.
 * @returns why it cannot stand there
 */
export function attachTo(
  draft: Draft,
  words: string,
  fence: Attached,
): { readonly message: string; readonly remedy?: string } | undefined {
  if (draft.exampleOf !== undefined) return attachToExample(draft, words, fence);
  const above = draft.steps.at(-1);
  const attach = above && operationKindOf(above)?.attachments[words];
  if (!above || !attach) {
    // Below a request that could not be read there is nothing to say of its body.
    if (draft.unread) return undefined;
    return {
      message: `There is no request right above this \`${words}\`.`,
      remedy: 'It stands directly below the fence of its request, before any statements.',
    };
  }
  const amended = attach(above, fence);
  if (typeof amended === 'string') return { message: amended };
  draft.steps[draft.steps.length - 1] = { ...amended, extent: upTo(above.extent, fence.lines) };
  return undefined;
}

function attachToExample(
  draft: Draft,
  words: string,
  fence: Attached,
): { readonly message: string } | undefined {
  const at = draft.exampleOf;
  // That an example could not be read is said.
  if (typeof at !== 'number') return undefined;
  const step = draft.steps[at]!;
  const example = step.examples!.at(-1)!;
  const attach = operationKindOf(step)!.exampleAttachments![words];
  const amended = attach ? attach(example, fence) : `A \`${words}\` is no body of an example response.`;
  if (typeof amended === 'string') return { message: amended };
  const examples = [...step.examples!.slice(0, -1), { ...amended, lines: upTo(example.lines, fence.lines) }];
  draft.steps[at] = { ...step, examples };
  return undefined;
}

function upTo(first: Lines | undefined, last: Lines): Lines {
  return { from: first?.from ?? last.from, to: last.to };
}
