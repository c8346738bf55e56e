import type { ResponseSource } from '../language/ast.ts';
import type { Change } from './changes/change.ts';
import type { Judge } from './judge.ts';

/** What of an answer somebody looks at: what is outside of that can be anything. */
interface Outlook {
  readonly status: boolean;
  /** In lower case. */
  readonly headers: ReadonlySet<string>;
  /** Members of the document; all of the body, where it is not said which. */
  readonly members: ReadonlySet<string> | 'all';
}

const known = new WeakMap<Judge, Outlook | 'everything'>();

/** Whether a change can make a difference to somebody, by the answer alone. */
export function mayMatter(judge: Judge, { at }: Change): boolean {
  let outlook = known.get(judge);
  if (!outlook) {
    outlook = outlookOf(judge);
    known.set(judge, outlook);
  }
  if (outlook === 'everything') return true;
  if (at === 'status') return outlook.status;
  const header = /^header (.+)$/.exec(at)?.[1];
  // A body is read as its type says.
  if (header === 'content-type') return outlook.headers.has(header) || outlook.members !== noMembers;
  if (header !== undefined) return outlook.headers.has(header);
  if (outlook.members === 'all') return true;
  const [, member] = /^\$\.([A-Za-z_]\w*)/.exec(at) ?? [];
  return member === undefined ? outlook.members !== noMembers : outlook.members.has(member);
}

const noMembers: ReadonlySet<string> = new Set();

/** Nobody knows what a step looks at that does not say it. */
function outlookOf({ step }: Judge): Outlook | 'everything' {
  const sources = step?.looksAt?.();
  if (!sources) return 'everything';
  const headers = new Set<string>();
  const members = new Set<string>();
  let [status, isAll] = [false, false];
  for (const source of sources) {
    if (source.sent || source.hop !== undefined) continue;
    if (source.form === 'status' || source.form === 'reason') status = true;
    else if (source.form === 'header') headers.add(source.argument!.toLowerCase());
    else if (source.form === 'location' || source.form === 'link') headers.add(source.form);
    else if (source.form === 'cookie') headers.add('set-cookie');
    else if (!elsewhere.has(source.form)) {
      const member = memberOf(source);
      if (member === undefined) isAll = true;
      else members.add(member);
    }
  }
  return { status, headers, members: isAll ? 'all' : members.size > 0 ? members : noMembers };
}

/** Neither in the status, nor in the headers, nor in the body. */
const elsewhere: ReadonlySet<string> = new Set(['time', 'version', 'url', 'hops', 'fault']);

/** The one member of the document that a path begins with. */
function memberOf(source: ResponseSource): string | undefined {
  if (source.form !== 'path' || source.as !== undefined) return undefined;
  const [first] = source.path.segments;
  const [selector] = first?.selectors ?? [];
  const isOne = first !== undefined && !first.descendant && first.selectors.length === 1;
  return isOne && selector?.kind === 'name' ? selector.name : undefined;
}
