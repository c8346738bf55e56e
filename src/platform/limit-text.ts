import { sizeText } from '../core/values/text.ts';

/** A limit in the unit that it was most likely given in. */
export function limitText(bytes: number): string {
  if (bytes % (1 << 20) === 0) return `${bytes / (1 << 20)} MiB`;
  return bytes % 1024 === 0 ? `${bytes / 1024} KiB` : sizeText(bytes);
}
