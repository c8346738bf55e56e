/** Every value of a header, in order; names in any case (RFC 9110, 5.1). */
export function valuesOfHeader(
  headers: readonly (readonly [name: string, value: string])[],
  name: string,
): readonly string[] {
  const wanted = name.toLowerCase();
  const values: string[] = [];
  for (const [each, value] of headers)
    if (each.length === wanted.length && each.toLowerCase() === wanted) values.push(value);
  return values;
}
