// Cuts a page into blocks with the Markdown tokenizer alone.
import { readFileSync } from 'node:fs';
import MarkdownIt from 'markdown-it';

const markdown = new MarkdownIt('commonmark');
markdown.core.ruler.disable('inline');
const tokens = markdown.parse(readFileSync(process.argv[2], 'utf8'), {});
if (tokens.length < 10_000) throw new Error('This is no page of many cases.');
