import { isLoopback } from '../../text/hosts.ts';
import { type Operation, operationTitle } from '../api.ts';
import type { Located } from '../document/document-set.ts';
import { type JsonObject, member, textOf } from '../document/json.ts';
import { securityOf } from '../security.ts';
import { placeOfOperation } from './path-rules.ts';
import type { Rule } from './rule.ts';

/** Variables in the address of a server that it does not declare, and servers that anybody on the way can read along with. */
export const serversRule: Rule = ({ version, servers, operations }, report) => {
  const own = operations.flatMap(each => each.servers ?? []);
  // Those of a path are those of all its operations.
  const all = new Map([...servers, ...own].map(each => [each.located.value, each]));
  for (const { url, located } of all.values()) {
    const written = version === '2.0' ? undefined : textOf(located.value.url);
    for (const [, name] of written?.matchAll(/\{([^{}]*)\}/g) ?? []) {
      if (member(located.value.variables, name!) !== undefined) continue;
      report(
        'definition-server',
        { located, key: 'url' },
        `The address of this server has a variable '${name}' that it does not declare.`,
        `It is declared with a default: variables: { ${name}: { default: … } }`,
      );
    }
    const host = /^http:\/\/([^/:?#]+|\[[^\]]*\])/i.exec(url)?.[1];
    if (host === undefined || isLoopback(host.replace(/^\[|\]$/g, ''))) continue;
    report(
      'definition-plain-http',
      { located, key: version === '2.0' ? 'schemes' : 'url' },
      `Whatever lies on the way to '${url}' can read along: it is plain http.`,
    );
  }
};

/** Operations that nobody has to sign in for, where others are secured. */
export const unsecuredRule: Rule = (api, report) => {
  // Whoever writes an empty list, there or for all of them, means it.
  if (api.security !== undefined) return;
  const open = api.operations.filter(({ security }) => security === undefined);
  const isSecured = (each: Operation) => securityOf(api, each).some(({ size }) => size > 0);
  if (!api.operations.some(isSecured)) return;
  for (const operation of open) {
    report(
      'definition-unsecured',
      placeOfOperation(operation),
      `${operationTitle(operation)} wants no credentials, and other operations do.`,
      'Where anybody may use it, say so: security: []',
    );
  }
};

const credentialName =
  /^(?:access[-_]?token|api[-_]?key|apikey|auth[-_]?token|password|passwd|secret|token)$/i;

/** Credentials in the query, which stand in the log of every server on the way. */
export const credentialsRule: Rule = ({ securitySchemes, operations }, report) => {
  const why = 'What stands in a query is written into the logs of everything on the way.';
  for (const { name, key, located } of securitySchemes.values())
    if (key?.in === 'query')
      report(
        'definition-credentials',
        { located, key: 'in' },
        `The key '${name}' is sent in the query. ${why}`,
      );
  const seen = new Set<JsonObject>();
  for (const { parameters } of operations)
    for (const { name, in: place, located } of parameters) {
      if (place !== 'query' || !credentialName.test(name) || seen.has(located.value)) continue;
      seen.add(located.value);
      report('definition-credentials', { located, key: 'name' }, `'${name}' is sent in the query. ${why}`);
    }
};

/** Names and passwords that go out readable. */
export const basicRule: Rule = ({ securitySchemes, servers }, report) => {
  const plain = servers.find(({ url }) => /^http:/i.test(url) && !isLoopback(hostOf(url)));
  if (!plain) return;
  for (const { name, kind, located } of securitySchemes.values())
    if (kind === 'basic')
      report(
        'definition-basic',
        { located: located as Located },
        `With '${name}' user and password go out as they are, and '${plain.url}' is plain http.`,
      );
};

function hostOf(url: string): string {
  return /^https?:\/\/(\[[^\]]*\]|[^/:?#]*)/i.exec(url)?.[1]?.replace(/^\[|\]$/g, '') ?? '';
}
