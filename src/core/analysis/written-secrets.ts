import { type Finding, finding } from '../model/finding.ts';
import type { Range, Source } from '../model/source.ts';
import type { PageCase } from '../pages/page.ts';
import { longEnough } from '../secrecy/secret-index.ts';
import { isLiteralSecret, isSecretHeader, secretName, shortestWritten } from '../secrecy/secret-names.ts';
import type { Level } from '../settings/level.ts';
import { kindOfStep } from '../steps/kinds.ts';
import { tokensIn } from '../steps/statement-kind.ts';

/** Literals in a page that look like a secret: they are in the history of the collection for good. */
export function secretsInCase({ steps }: PageCase, source: Source): Finding[] {
  return steps
    .flatMap(step => [
      ...(kindOfStep(step).writtenSecrets?.(step) ?? []),
      ...(step.repeat ? tokensIn(step.repeat) : []),
    ])
    .map(({ range, what }) => written(source, range, what));
}

/** The same in the settings of a level. */
export function secretsInLevel(level: Level): Finding[] {
  const { source, headers, auth, variables, environments } = level;
  const findings: Finding[] = [];
  for (const { name, value, range } of headers.values())
    if (value && isSecretHeader(name, value)) findings.push(written(source, range, `the header ${name}`));
  if (auth && level.authRange && auth.secretTemplates.some(template => isLiteralSecret(template.parts)))
    findings.push(written(source, level.authRange, 'what it signs in with'));
  for (const database of level.databases.values())
    if (database?.password && isLiteralSecret(database.password.parts))
      findings.push(written(source, database.range, `the password of '${database.name}'`));
  const passphrase = level.transport.tls?.parts.passphrase;
  if (passphrase && level.tlsRange && isLiteralSecret(passphrase.parts))
    findings.push(written(source, level.tlsRange, 'the passphrase'));
  for (const set of [variables, ...(environments?.values() ?? [])])
    for (const { name, secret, range, literal } of set.values())
      if (secret && literal !== undefined && [...literal].length < longEnough)
        findings.push(tooShort(source, range, name));
      else if (!secret && literal !== undefined && literal.length >= shortestWritten && secretName.test(name))
        findings.push(written(source, range, `'${name}'`));
  return findings;
}

function tooShort(source: Source, range: Range, name: string): Finding {
  return finding(
    'secret-short',
    { source, range },
    `The secret '${name}' has less than ${longEnough} characters, so it is masked only where it stands apart from letters and digits.`,
    'A longer one is masked everywhere.',
  );
}

function written(source: Source, range: Range, what: string): Finding {
  return finding(
    'secret-written',
    { source, range },
    `The value of ${what} is written out here and looks like a secret.`,
    'Put it into mervok.secret.yaml, or take it from the process environment ({ os: NAME }), and refer to it by a name.',
  );
}
