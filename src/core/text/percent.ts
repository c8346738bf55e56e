/** A text with its percent-encoding undone; what is no such encoding stays as it is. */
export function percentDecoded(text: string): string {
  if (!text.includes('%')) return text;
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
