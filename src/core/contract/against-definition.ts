import type { DescribedPart } from '../definition/described-part.ts';
import type { DescribedAnswer, Holder } from '../definition/hold/held-exchange.ts';
import { counted, inWords } from '../text/words.ts';
import type { Beside, Broken } from './broken.ts';
import { operationName } from './contract.ts';
import { accepts, kindOfSchemaType, kindsInWords } from './read-kinds.ts';
import { addressOf, anywhere, type PlacedRead, type ReliedRequest } from './relied-on.ts';
import { isStatus } from './statuses.ts';

type Trouble = Pick<Broken, 'message' | 'isFailure'>;

/** What pages rely on, beside the definition of an API: what of it would break them. */
export function againstDefinition(requests: readonly ReliedRequest[], holder: Holder): Beside {
  const broken: Broken[] = [];
  const notes = new Set<string>();
  let looked = 0;
  for (const request of requests) {
    if (request.target === undefined) continue;
    const found = besideOperation(request, request.target, holder);
    broken.push(...found.broken);
    looked += found.looked;
    for (const note of found.notes) notes.add(note);
  }
  const unknown = requests.filter(({ target }) => target === undefined).length;
  if (unknown > 0)
    notes.add(
      `${counted(unknown, 'request')} whose target is known only in a run ${unknown === 1 ? 'was' : 'were'} not looked at.`,
    );
  return { broken, looked, notes: [...notes] };
}

function besideOperation(request: ReliedRequest, target: string, holder: Holder): Beside {
  const { method, statuses } = request;
  const asked = { method, url: addressOf(target) };
  const described = holder.request(asked, anywhere);
  const about = { operation: operationName({ method, target }), case: request.case };
  if (!described) {
    // A page may well ask for what is not there.
    const isMeant = statuses.length > 0 && statuses.every(status => /^(?:404|405|501)$/.test(status));
    if (isMeant) return { broken: [], looked: 0, notes: [] };
    return {
      broken: [
        { ...about, message: 'the operation is not described', place: request.place, isFailure: true },
      ],
      looked: 1,
      notes: [],
    };
  }
  const broken: Broken[] = missingInRequest(request, described).map(message => ({
    ...about,
    message,
    place: request.place,
    isFailure: true,
  }));
  const notes: string[] = [];
  let looked = 1;
  for (const status of statuses) {
    looked++;
    if (describedLike(status, described.statuses).length > 0) continue;
    if (request.isSentOn && described.statuses.some(each => each.startsWith('3'))) {
      notes.push(`${about.operation} sends on to another operation, whose answer was not looked at.`);
      continue;
    }
    const message = `the status ${status} is not described; there ${described.statuses.length === 1 ? 'is' : 'are'} ${inWords(described.statuses)}`;
    broken.push({ ...about, status, message, place: request.statusPlace, isFailure: true });
  }
  for (const status of request.lookedInto) {
    const answers = describedLike(status, described.statuses).flatMap(
      code => holder.answer({ ...asked, status: code, contentType: undefined }, anywhere) ?? [],
    );
    if (answers.length === 0) continue;
    for (const read of request.reads) {
      const header = /^header (.+)$/.exec(read.part)?.[1];
      if (header !== undefined && answers.some(({ headers }) => headers.has(header))) looked++;
      if (!read.way) continue;
      looked++;
      const trouble = troubleInAll(read, read.way, answers);
      if (trouble) broken.push({ ...about, status, part: read.part, ...trouble, place: read.place });
    }
  }
  return { broken, looked, notes };
}

/** The statuses that a definition describes of a class or one; a range of its own, and `default`, as one of those. */
function describedLike(status: string, described: readonly string[]): number[] {
  const code = Number(status.replace(/x/gi, '0'));
  if (described.includes(status)) return [code];
  const like = described.filter(each => isStatus(status, each) || isStatus(each, status));
  if (like.length > 0) return like.map(each => (/x/i.test(each) ? code : Number(each)));
  return described.some(each => each.toLowerCase() === 'default') ? [code] : [];
}

/** Of several answers that a class of statuses lets pass, one has to be as it must be. */
function troubleInAll(
  read: PlacedRead,
  way: NonNullable<PlacedRead['way']>,
  answers: readonly DescribedAnswer[],
): Trouble | undefined {
  const troubles = answers.map(({ part }) => troubleWith(read, part(way), part(way.slice(0, -1))));
  return troubles.includes(undefined) ? undefined : (troubles.find(each => each!.isFailure) ?? troubles[0]);
}

/** What has to be sent and is not. */
function missingInRequest(
  { sent, statuses }: ReliedRequest,
  { requiredParameters, requiredMembers }: NonNullable<ReturnType<Holder['request']>>,
): string[] {
  // What a server is to refuse may lack something.
  if (statuses.length > 0 && statuses.every(status => status.startsWith('4'))) return [];
  const parameters = requiredParameters.filter(each => {
    const [place, name] = [each.replace(/ .*/, ''), each.replace(/^\S+ /, '')];
    if (place === 'query') return !sent.query.includes(name);
    return place === 'header' && !sent.headers.includes(name.toLowerCase());
  });
  const members =
    sent.body.length === 0
      ? []
      : requiredMembers.filter(name => !sent.body.some(path => isBelow(path, name)));
  return [
    ...parameters.map(each => `the ${each.replace(/^(\S+) /, '$1 parameter ')} has to be sent, and is not`),
    ...members.map(each => `the member ${each} of the body has to be sent, and is not`),
  ];
}

function isBelow(path: string, name: string): boolean {
  return path === `$.${name}` || path.startsWith(`$.${name}.`) || path.startsWith(`$.${name}[`);
}

/** Why a part that is looked at cannot be as it has to be; nothing where it can, or where nothing is said of it. */
function troubleWith(
  { kinds, values }: PlacedRead,
  described: DescribedPart | undefined,
  holder: DescribedPart | undefined,
): Trouble | undefined {
  if (!described) {
    // Of what holds it nothing is known either, or it holds whatever there is.
    return holder && !holder.isOpen ? { message: 'it is not described', isFailure: true } : undefined;
  }
  if (kinds && described.types) {
    const others = [...described.types]
      .flatMap(type => kindOfSchemaType(type) ?? [])
      .filter(kind => !accepts(kinds, kind));
    if (others.length > 0)
      return {
        message: `it may be ${kindsInWords(others)}, and has to be ${kindsInWords(kinds)}`,
        isFailure: true,
      };
  }
  if (values && described.values && !values.some(value => described.values!.includes(value)))
    return {
      message: `it is never ${inWords(
        values.map(value => JSON.stringify(value)),
        'or',
      )}`,
      isFailure: true,
    };
  return described.required ? undefined : { message: 'it need not be there', isFailure: false };
}
