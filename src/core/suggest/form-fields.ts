/** The fields of a form by their names, as far as they are texts of one line; the name of a file as `file`. */
export function formFields(body: string, type: string): ReadonlyMap<string, string> {
  if (/urlencoded/i.test(type)) return new Map(new URLSearchParams(body));
  const [, quoted, token] =
    /^multipart\/form-data\b.*?;\s*boundary=(?:"([^"]+)"|([^\s;]+))/is.exec(type) ?? [];
  const boundary = quoted ?? token;
  const fields = new Map<string, string>();
  if (boundary === undefined) return fields;
  for (const part of body.split(`--${boundary}`).slice(1, -1)) {
    const headEnd = part.indexOf('\r\n\r\n');
    if (headEnd < 0) continue;
    const head = part.slice(0, headEnd);
    const value = part.slice(headEnd + 4).replace(/\r\n$/, '');
    const [, name] = /;\s*name="([^"]+)"/i.exec(head) ?? [];
    const [, file] = /;\s*filename="([^"]+)"/i.exec(head) ?? [];
    if (file !== undefined) fields.set('file', file);
    else if (name !== undefined && !/[\r\n]/.test(value)) fields.set(name, value);
  }
  return fields;
}
