/** What a row says, of what it has found. */
export type Says = string | ((found: RegExpMatchArray) => string | undefined);
export type Row = readonly [found: RegExp, says: Says];

/** Without regard to large and small letters. */
export const lower = (text: string) => text.toLowerCase();
