import type { Template } from '../language/templates/template.ts';
import { nodesOf } from '../language/walk.ts';
import { type Finding, finding } from '../model/finding.ts';
import type { Range, Source } from '../model/source.ts';
import { type PageCase, statementsOf } from '../pages/page.ts';
import { longEnough } from '../secrecy/secret-index.ts';
import type { Level } from '../settings/level.ts';
import { secretTemplates } from '../settings/transport.ts';

/** Names whose values nobody should read. */
const secretName = /iteration(?:word|phrase|wd)|secret|token|api[-_]?key|private[-_]?key|credential/i;
/** A signed token in its compact form, its signature included. */
const signedToken = /\beyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]{16,}/;
const shortest = 8;

/** Literals in a page that look like a secret: they are in the history of the collection for good. */
export function secretsInCase({ steps, ...rest }: PageCase, source: Source): Finding[] {
  const findings: Finding[] = [];
  const add = (range: Range, what: string) => findings.push(told(source, range, what));
  for (const step of steps) {
    if (step.kind !== 'request') continue;
    for (const { name, value, range } of step.headers)
      if (isSecretHeader(name, literalOf(value))) add(range, `the header ${name}`);
    if (/^https?:\/\/[^/{}]*:[^/{}]+@/i.test(step.targetText))
      add(step.targetRange, 'the password in this address');
    if (!step.body || !secretName.test(step.body.excerpt.text)) continue;
    const { excerpt, start } = step.body;
    for (const found of excerpt.text
      .slice(start)
      .matchAll(/^\s*"?([\w-]+)"?\s*[:=]\s*"?([^"{}\s,]+)"?,?\s*$/gm)) {
      const at = start + found.index + found[0].indexOf(found[2]!);
      if (secretName.test(found[1]!) && found[2]!.length >= shortest)
        add(excerpt.range(at, at + found[2]!.length), `'${found[1]}'`);
    }
    for (const found of excerpt.text.slice(start).matchAll(/"([\w-]+)"\s*:\s*"([^"{}]+)"/g)) {
      const at = start + found.index + found[0].length - 1 - found[2]!.length;
      if (secretName.test(found[1]!) && found[2]!.length >= shortest)
        add(excerpt.range(at, at + found[2]!.length), `'${found[1]}'`);
    }
  }
  for (const statement of statementsOf({ steps, ...rest })) {
    for (const node of nodesOf(statement))
      if (node.type === 'text' && node.parts.some(part => typeof part === 'string' && signedToken.test(part)))
        add(node.range, 'this token');
    if (statement.type === 'let' && statement.value.type === 'text' && secretName.test(statement.name))
      if (isLiteral(statement.value.parts)) add(statement.value.range, `'${statement.name}'`);
  }
  return findings;
}

/** The same in the settings of a level. */
export function secretsInLevel(level: Level): Finding[] {
  const { source, headers, auth, variables, environments } = level;
  const findings: Finding[] = [];
  for (const { name, value, range } of headers.values())
    if (value && isSecretHeader(name, literalOf(value)))
      findings.push(told(source, range, `the header ${name}`));
  if (auth && level.authRange && secretTemplates(auth).some(template => isLiteral(template.parts)))
    findings.push(told(source, level.authRange, 'what it signs in with'));
  for (const set of [variables, ...(environments?.values() ?? [])])
    for (const { name, secret, range, literal } of set.values())
      if (secret && literal !== undefined && [...literal].length < longEnough)
        findings.push(tooShort(source, range, name));
      else if (!secret && literal !== undefined && literal.length >= shortest && secretName.test(name))
        findings.push(told(source, range, `'${name}'`));
  return findings;
}

function tooShort(source: Source, range: Range, name: string): Finding {
  return finding(
    'secret-short',
    source,
    range,
    `The secret '${name}' has less than ${longEnough} characters, so it is masked only where it stands apart from letters and digits.`,
    'A longer one is masked everywhere.',
  );
}

function told(source: Source, range: Range, what: string): Finding {
  return finding(
    'secret-written',
    source,
    range,
    `The value of ${what} is written out here and looks like a secret.`,
    'Put it into mervok.secret.yaml, or take it from the process environment ({ os: NAME }), and refer to it by a name.',
  );
}

function isLiteral(parts: readonly unknown[]): boolean {
  return parts.every(part => typeof part === 'string') && parts.join('').length >= shortest;
}

/** The text of a template that refers to nothing. */
function literalOf({ parts }: Template): string | undefined {
  return parts.every(part => typeof part === 'string') ? parts.join('') : undefined;
}

function isSecretHeader(name: string, value: string | undefined): boolean {
  if (value === undefined) return false;
  if (/^(?:proxy-)?authorization$/i.test(name)) return /^\S+\s+\S{8,}/.test(value);
  return (secretName.test(name) && value.length >= shortest) || signedToken.test(value);
}
