import palette from '../palette.css';
import { html } from './markup.ts';

/** The beginning of a page that loads nothing and sends nothing, up to its body. */
export function pageHead({
  title,
  style: own,
  script,
}: {
  readonly title: string;
  readonly style: string;
  readonly script?: string;
}): string {
  const style = palette + own;
  const scripts = script === undefined ? '' : ` script-src '${hashOf(script)}';`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src '${hashOf(style)}';${scripts} base-uri 'none'; form-action 'none'">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<meta name="referrer" content="no-referrer">
${html`<title>${title}</title>`.text}
<style>${style}</style>
</head>
`;
}

/** By its hash a browser knows the one script and the one style that are the page's own (CSP Level 3). */
function hashOf(text: string): string {
  const { createHash } = process.getBuiltinModule('node:crypto');
  return `sha256-${createHash('sha256').update(text).digest('base64')}`;
}
