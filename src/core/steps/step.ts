import type { Holder } from '../definition/hold/held-exchange.ts';
import type { Check, Reference, ResponseSource, StatementNode } from '../language/ast.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import type { CompiledPath } from '../language/jsonpath/evaluate.ts';
import type { Package } from '../language/packages.ts';
import type { StatementSyntax } from '../language/parser.ts';
import type { Truth } from '../language/truth.ts';
import type { CaseEventContext } from '../model/event-context.ts';
import type { RunEvent } from '../model/events.ts';
import type { SourceError } from '../model/finding.ts';
import type { Place } from '../model/place.ts';
import type { Excerpt, Lines, Range, Source } from '../model/source.ts';
import type { Missing, Value } from '../model/value.ts';
import type { Effective } from '../settings/effective.ts';
import type { OperationPorts } from './operation-ports.ts';
import type { Above } from './out-of-place.ts';
import type { Repeat } from './repeat.ts';

// What a kind of step is to every stage: how it is written, what it uses and gives, what can be said of it before the run,
// and the planned step that carries itself out. A new kind is a folder beside this file, and a line in `kinds.ts`; one that
// reaches out has a port, and a line in `operation-ports.ts`.

/** A step of a case, as a page has it. */
export interface WrittenStep {
  /** The name of its kind. */
  readonly type: string;
  readonly range: Range;
  /** Of an operation: that it is carried out again until something holds. */
  readonly repeat?: Repeat;
  /** Of an operation: its fence, and those that belong to it. */
  readonly extent?: Lines;
  /** Of an operation: what its page says that comes of it, one after the other where it is asked several times. */
  readonly examples?: readonly WrittenExample[];
}

/** An example of what comes of an operation. */
export interface WrittenExample {
  /** Of its first line. */
  readonly range: Range;
  /** Its fence, and that of its body. */
  readonly lines: Lines;
  readonly setsCookie: boolean;
}

/** A kind of step that is a statement of a fence `mervok`. */
export interface StatementKind<Statement extends StatementNode = StatementNode> extends StepKind<Statement> {
  /** None for a condition, which begins with no word of its own. */
  readonly syntax?: StatementSyntax<Statement>;
  /** What can be said of one without any other. */
  errorsIn(statement: Statement): SourceError[];
}

/** A kind of step that does something which statements below it look at, written in a fence of its own. */
export interface OperationKind<
  Operation extends WrittenStep = WrittenStep,
  Example extends WrittenExample = WrittenExample,
> extends StepKind<Operation> {
  /** The words behind the marks of its fence: `http`, `sql step`. */
  readonly fence: string;
  /** To be awaited before a fence is read, where it cannot be read without being loaded. */
  readonly loadReader?: () => Promise<void>;
  readonly read: (fence: OperationFence) => ReadOperation<Operation, Example>;
  /** Fences that belong to the operation right above them, by their words. */
  readonly attachments: { readonly [words: string]: Attach<Operation> };
  /** The same for those that belong to the example right above them. */
  readonly exampleAttachments?: { readonly [words: string]: Attach<Example> };
  /** Sources that statements below may look at, as the language names them; none where what came above stays in sight. */
  offers(operation: Operation): readonly string[] | undefined;
  /** What it may come to instead of an answer, in the words that `fault` is compared with. */
  readonly faults: readonly string[];
  /** In a line: `GET /berths`. */
  title(operation: Operation): string;
  /** What it may change, so that a case below it that runs alone brings it along: `its POST may change something`. */
  effect(operation: Operation): string | undefined;
  /** Whether its page runs alone where several could run at once. */
  runsAlone?(operation: Operation): boolean;
  /** What it asks of the machine that it runs on, and of the person at the keyboard. */
  demands?(operation: Operation, effective: Effective): Demands;
  /** Whether it checks by itself what came of the operation above it. */
  checksAbove?(operation: Operation): boolean;
  /** What is said where nothing is checked after it, if anything is. */
  unchecked(operation: Operation, effective: Effective): Remark | undefined;
}

/** What is allowed on the command line, as its option is called. */
export type Permission = 'commands';

export interface Demands {
  /** What has to be allowed. */
  readonly permission?: Permission;
  /** What has to be there. */
  readonly needs?: MachineNeed;
  /** A file that has to lie inside of the collection, where it is known: its path from the root, and where it is named. */
  readonly file?: { readonly path: string; readonly source: Source; readonly range: Range };
}

/** What not every machine has. */
export type MachineNeed = 'sh' | 'sqlite';

/** What is wrong, and what mends it. */
export interface Remark {
  readonly message: string;
  readonly remedy: string;
}

/** The fence of an operation. */
export interface OperationFence {
  readonly content: Excerpt;
  /** What stands behind its marks. */
  readonly info: string;
  readonly infoRange: Range;
  readonly lines: Lines;
}

/** What reading the fence of an operation comes to; neither where the fence is an example of what came of one. */
export interface ReadOperation<Operation, Example = WrittenExample> {
  readonly step?: Operation;
  /** Whether it is an example; one that cannot be read is none to anybody. */
  readonly isExample?: true;
  readonly example?: Example;
  readonly errors: readonly SourceError[];
}

/** Puts the content of a fence into the operation, or the example, above it, or says why it cannot stand there. */
export type Attach<Operation> = (operation: Operation, fence: AttachedFence) => Operation | string;

export interface AttachedFence {
  readonly content: Excerpt;
  /** What stands behind the two words that say what it is. */
  readonly more: string;
}

/** What every kind of step says of a written one. */
export interface StepKind<Written extends WrittenStep = WrittenStep> {
  readonly type: Written['type'];
  /** Tells of every reference, in its own text and in the settings that hold for it. */
  uses(step: Written, effective: Effective, use: UseReferences): void;
  /** The names that it makes. */
  gives?(step: Written): readonly GivenName[];
  /** Adds what has to be loaded before it is made ready. */
  packages(step: Written, effective: Effective, needed: Set<Package>): void;
  /** Makes it ready, or says what keeps it from being carried out. What it takes with it comes behind it. */
  prepare(step: Written, context: PrepareContext): readonly PlannedStep[];
  /** What is written out in it and looks like a secret. */
  writtenSecrets?(step: Written): readonly WrittenSecret[];
  /** What in it is written as another notation has its references. */
  foreignReferences(step: Written, source: Source): readonly SourceError[];
}

/** @param source where they are written, if not in the page */
export type UseReferences = (
  references: readonly Reference[],
  source?: Source,
  /** `kind`: what has none of its own will not do. */
  needs?: 'kind' | undefined,
) => void;

/** A name that a step makes: by `keep`, for all pages, or by `let`, for its own. */
export interface GivenName {
  readonly name: string;
  readonly how: 'keep' | 'let';
  readonly range: Range;
}

export interface WrittenSecret {
  readonly range: Range;
  /** In words: `the header Authorization`. */
  readonly what: string;
}

/** What making a step ready may ask for. */
export interface PrepareContext {
  /** The page. */
  readonly source: Source;
  readonly effective: Effective;
  /** Names that are secret, wherever their value comes from. */
  readonly secretNames: ReadonlySet<string>;
  /** Whether there is a file that a step sends; by its path from the root of the collection. */
  readonly hasFile: ((path: string) => boolean) | undefined;
  /** Why one that is there must not be sent. */
  readonly refusesFile: ((path: string) => string | undefined) | undefined;
  /** The text of a file of the collection, by its path from the root; else why it cannot be read. */
  readonly readFile: (path: string) => string | Missing;
  /** The operation above whose answer statements look at. */
  readonly above: Above | undefined;
  /** Of an operation: the checks that look at what comes of it. */
  readonly checksBelow: readonly (Check | Repeat)[];
  /** Of an operation: all statements that may look at what comes of it. */
  readonly statementsBelow: readonly StatementNode[];
  /** What holds exchanges to a definition of an API, by its file; nothing where that cannot be used. */
  readonly holderOf: (file: string) => Holder | undefined;
  /** What the settings want of every response, ready. */
  readonly levelChecks: readonly PlannedStep[];
  /** @param source where they are, if not in the page */
  add(errors: readonly SourceError[], source?: Source): void;
}

/** A step that is ready to be carried out, as often as its case is. */
export interface PlannedStep {
  readonly kind: string;
  readonly place: Place;
  /** Of a statement that may fail: as it is written, in one line. */
  readonly text?: string;
  /** How many checks it makes. */
  readonly checks: number;
  /** Of a statement: what of an answer it looks at. */
  looksAt?(): readonly ResponseSource[];
  /** Of a statement: the names that it refers to. */
  refersTo?(): readonly string[];
  /** The names that it makes. */
  readonly gives?: readonly Omit<GivenName, 'range'>[];
  /** Of an operation: what lists call it, such as the method of a request. */
  readonly operation?: string;
  /** Of a request: as it is written, in one line. */
  readonly title?: string;
  /** Whether the case can go on. Throws TemplateError. */
  carryOut(run: StepRun): boolean | Promise<boolean>;
  /** Of an operation: what its page says that comes of it, one after the other. */
  readonly examples?: readonly ExampleOfAnswer[];
  /** Of an operation: when it is carried out again. */
  readonly repetition?: { readonly until: PlannedCondition } | undefined;
  /** Shows what it would do, as far as that is known before the run. */
  preview?(preview: StepPreview): void;
}

/** A condition that is a step, or a part of one. */
export interface PlannedCondition extends PlannedStep {
  readonly text: string;
  /** Whether it holds, which nobody is told. */
  truth(run: StepRun): Truth;
}

/** An example of what comes of an operation, ready to be looked at. */
export interface ExampleOfAnswer {
  readonly source: Source;
  /** Of its first line. */
  readonly range: Range;
  /** What keeps it from being looked at. */
  readonly errors: readonly SourceError[];
  readonly references: readonly Reference[];
  /**
   * For the statements below. Whoever looks at what the example does not show throws OpenValueError.
   * @param url where it is answered, as far as that is known
   */
  answer(context: EvaluationContext, url?: string): Answer;
}

/** Names as steps of a page see and make them. */
export interface PageNames {
  /** @param more where the value is secret by more than its name */
  set(given: Pick<GivenName, 'name' | 'how'>, value: Value, more?: { readonly secret?: boolean }): void;
  /** The name does not keep the value that an earlier case gave it. */
  forget(given: Pick<GivenName, 'name' | 'how'>): void;
}

/** What became of the last operation of a case: what the statements below it look at. */
export interface Answer {
  readonly response: EvaluationContext['response'];
  /** What was asked, as it went out. */
  readonly sent: () => EvaluationContext['sent'];
  readonly fault: string | undefined;
}

/** What a step has to do with while it is carried out. */
export interface StepRun {
  /** The address of its case. */
  readonly address: string;
  /** What every event of the case says. */
  readonly eventContext: CaseEventContext;
  readonly evaluation: EvaluationContext & { answer: Answer | undefined };
  readonly names: PageNames;
  readonly ports: {
    readonly operations: OperationPorts;
    /** In milliseconds since 1970. */
    now(): number;
    /** Milliseconds of a clock that only goes forward. */
    elapsed(): number;
    sleep(milliseconds: number, signal: AbortSignal): Promise<void>;
  };
  /** Ends what is being waited for. */
  readonly signal: AbortSignal;
  /** Masks a value that has no name: for the whole run, or for its iteration. */
  conceal(value: Value, how: 'lasting' | 'passing'): void;
  /** A text with all secrets in it masked. */
  mask(text: string): string;
  /** Whether a text holds a secret, in any form. */
  readonly holdsSecret: (text: string) => boolean;
  /** What is never shown, besides secrets. */
  readonly redacted: Redacted;
  /** Whether events carry what was sent and came, for a record. */
  readonly keepsBodies: boolean;
  /** Whether checks that hold say what they found. */
  readonly tellsFound: boolean;
  /** Whether answers are set beside the examples of the page, and what is not like them is a failed check. */
  readonly examples?: 'told' | 'strict' | undefined;
  /** Takes the answer that is before the statements now for one that an example may be made of, where somebody wants any. */
  readonly offer?: ((step: PlannedStep) => void) | undefined;
  /** What kinds of operations keep for a page while it runs, by their names: its cookies. */
  pageState(kind: string): unknown;
  /** Lets what else has come be read before this is looked at; looking takes time, which would be told as theirs. */
  giveWay(): Promise<void> | undefined;
  emit(event: RunEvent): void;
  /** Completes an event by what is of use only where it is told; under load most are counted alone. */
  whereTold(complete: () => void): void;
  /** Tells all that waits; before something goes out. */
  flush(): void;
  /** Of the case: the status of the first answer. */
  noteStatus(status: number): void;
  /** A check does not hold; the case goes on. */
  fail(): void;
  /**
   * Ends the case in error.
   * @param line of the page, where the place in it is worth to be marked
   */
  stop(message: string, place: Place, line?: string): false;
  /** Ends the case as skipped. */
  skip(because: string): false;
}

/** Names of headers, in lower case, and parts of JSON bodies. */
export interface Redacted {
  readonly headers: ReadonlySet<string>;
  readonly parts: readonly CompiledPath[];
}

/** What a step has to do with while it is only shown. */
export interface StepPreview {
  readonly evaluation: EvaluationContext;
  readonly names: PageNames;
  /** What is never shown, besides secrets. */
  readonly redacted: Redacted;
  /**
   * Shows an operation; the names that it uses are noted.
   * @param fill fills it; what only a run can tell has stand-ins there, which `withReferences` turns into references.
   * Throws TemplateError
   */
  show(place: Place, fill: (withReferences: <Part>(part: Part) => Part) => PreviewedOperation): void;
}

/** An operation as it would go out: what is printed of it, and the values in it that are not to be shown. */
export interface PreviewedOperation {
  readonly lines: OperationLines;
  readonly secrets: readonly Value[];
}

/** An operation in the form in which every one can be shown: a title, fields, and a text. */
export interface OperationLines {
  readonly title: string;
  readonly fields: readonly (readonly [name: string, value: string])[];
  /** Fields of which something is said rather than their value shown. */
  readonly notes?: readonly (readonly [name: string, value: string])[];
  readonly text?: string;
}
