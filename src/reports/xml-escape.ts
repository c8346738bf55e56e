/** A text as XML holds it. Characters that XML 1.0 cannot hold at all are shown as their code. */
export function escapeXml(text: string): string {
  return text
    .replace(
      /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g,
      char => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
    )
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
