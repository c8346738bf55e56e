/** Where an XPath ends that is written bare. One whose brackets and quotes are not closed ends at the first white space. */
export function endOfXPath(text: string, start: number): number {
  return search(text, start, { spaced: true }) ?? search(text, start, { spaced: false })!;
}

/** @param spaced whether white space inside of brackets and quotes belongs to it; nothing where those are not closed */
function search(text: string, start: number, { spaced }: { readonly spaced: boolean }): number | undefined {
  const closing: string[] = [];
  for (let at = start; ; at++) {
    const char = text[at];
    const last = closing.at(-1);
    const open = last !== undefined;
    if (char === undefined || char === '\n') return open && spaced ? undefined : at;
    if (/\s/.test(char) && !(open && spaced)) return at;
    if (char === last) closing.pop();
    else if (last === '"' || last === "'") continue;
    else if (char === '"' || char === "'") closing.push(char);
    else if (char === '[') closing.push(']');
    else if (char === '(') closing.push(')');
    else if (!open && (char === ',' || char === ')')) return at;
  }
}
