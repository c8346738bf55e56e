/** As `application/x-www-form-urlencoded` has it. */
export function encodeForm(text: string): string {
  return percentEncode(text, /[!'()~]/g).replaceAll('%20', '+');
}

/** A name or a value of a query: all but the unreserved characters (RFC 3986). */
export function encodeQuery(text: string): string {
  return percentEncode(text, /[!'()*]/g);
}

/** @param more what encodeURIComponent leaves as it is, and is to be encoded too */
function percentEncode(text: string, more: RegExp): string {
  // Half of a surrogate pair cannot be encoded.
  return encodeURIComponent(text.replace(/[\uD800-\uDFFF]/gu, '\uFFFD')).replace(
    more,
    char => `%${char.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}
