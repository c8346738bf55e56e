/** A path as seen from the folder of a page, from the root of the collection: with `.` and `..` resolved. */
export function resolvePath(folder: string, path: string): string {
  if (/^(?:[/\\]|[A-Za-z]:)/.test(path)) return path;
  const parts: string[] = [];
  for (const part of (folder + path).split('/')) {
    if (part === '..' && parts.length > 0 && parts.at(-1) !== '..') parts.pop();
    else if (part !== '.' && part !== '') parts.push(part);
  }
  return parts.join('/');
}
