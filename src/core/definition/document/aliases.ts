import { EVENT_ID, type Event } from 'js-yaml';
import { SourceError } from '../../model/finding.ts';
import { grouped } from '../../text/words.ts';

/** So many values may be there by another name of theirs. */
const mostAliased = 1_000_000;

interface Named {
  /** How many values it comes to; nothing as long as it is open. */
  size?: number;
}

/**
 * Every definition can be written as JSON, where nothing holds itself, and all that is named is written out. Throws
 * SourceError where it cannot.
 */
export function refuseEndless(events: readonly Event[], text: string): void {
  const named = new Map<string, Named>();
  const open: { size: number; readonly name?: Named }[] = [];
  let aliased = 0;
  const add = (size: number) => {
    const around = open.at(-1);
    if (around) around.size += size;
  };
  const nameOf = ({
    anchorStart,
    anchorEnd,
  }: {
    anchorStart: number;
    anchorEnd: number;
  }): Named | undefined => {
    if (anchorStart < 0) return undefined;
    const name: Named = {};
    named.set(text.slice(anchorStart, anchorEnd), name);
    return name;
  };
  const { DOCUMENT, SEQUENCE, MAPPING, ALIAS, POP } = EVENT_ID;
  for (const event of events)
    switch (event.type) {
      case DOCUMENT:
        open.push({ size: 1 });
        break;
      case SEQUENCE:
      case MAPPING: {
        const name = nameOf(event);
        open.push({ size: 1, ...(name && { name }) });
        break;
      }
      case POP: {
        const { size, name } = open.pop()!;
        if (name) name.size = size;
        add(size);
        break;
      }
      case ALIAS: {
        const name = text.slice(event.anchorStart, event.anchorEnd);
        const target = named.get(name);
        if (target) aliased += target.size ?? Number.POSITIVE_INFINITY;
        add(target?.size ?? 1);
        if (aliased <= mostAliased) break;
        const why =
          target?.size === undefined
            ? 'stands inside of what it is the name of, which would have no end'
            : `and others like it stand for more than ${grouped(mostAliased)} values`;
        const range = { start: event.anchorStart - 1, end: event.anchorEnd };
        const remedy = "Refer to it instead: $ref: '#/…'";
        throw new SourceError('definition-unreadable', range, `'*${name}' ${why}.`, remedy);
      }
      default: {
        const name = nameOf(event);
        if (name) name.size = 1;
        add(1);
      }
    }
}
