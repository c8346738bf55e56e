/** Whether a number of JSON, as it is written, is the same as a double. */
export function isExactDouble(text: string): boolean {
  if (/^-?\d+$/.test(text)) return Number.isSafeInteger(Number(text));
  return text.replace(/[^\d]/g, '').length <= 15;
}
