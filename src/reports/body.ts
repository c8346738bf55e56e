import { isBinary, sizeText } from '../core/values/text.ts';
import { formatJson } from './json-text.ts';
import { type Paint, visible } from './style.ts';
import { formatXml } from './xml-text.ts';

/** A body for people: laid out by its type, or told of where it is no text. */
export async function bodyText(
  body: { readonly text: string; readonly size: number },
  contentType: string | undefined,
  width: number,
  paint: Paint,
): Promise<string> {
  const { text, size } = body;
  if (isBinary(text))
    return paint('quiet', `${sizeText(size)} of ${contentType ?? 'bytes'}; -o FILE writes them`);
  try {
    if (isJson(text, contentType)) return formatJson(visible(text), width, paint);
    if (/[/+](?:xml|html)\b/i.test(contentType ?? '') && !/html/i.test(contentType ?? ''))
      return await formatXml(visible(text), paint);
  } catch {
    // What is not what its type says, or is nested too deeply to be laid out, is shown as it came.
  }
  return visible(text);
}

function isJson(text: string, contentType: string | undefined): boolean {
  if (contentType !== undefined && !/json|text\/plain/i.test(contentType)) return false;
  try {
    JSON.parse(text);
    return /^\s*[[{]/.test(text);
  } catch {
    return false;
  }
}

/**
 * As many lines as fit on so many rows of a screen; the first one alone may be cut. Nothing where all of them fit.
 * @param width of the screen, in columns
 */
export function fitRows(lines: readonly string[], rows: number, width: number): string[] | undefined {
  const shown: string[] = [];
  let left = rows;
  for (const line of lines) {
    const plain = line.replace(/\u001b\[[\d;]*m/g, '');
    const taken = Math.max(1, Math.ceil(plain.length / width));
    if (taken > left) return shown.length === 0 ? [plain.slice(0, left * width - 2)] : shown;
    left -= taken;
    shown.push(line);
  }
  return undefined;
}
