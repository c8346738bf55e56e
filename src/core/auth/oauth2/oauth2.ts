import { render } from '../../language/templates/render.ts';
import { inWords } from '../../text/words.ts';
import { rangeOf } from '../../yaml/yaml-reader.ts';
import { type AuthKind, nothingAdded, yieldsToHeader } from '../authorization.ts';
import { type OAuthFlow, oauthFlows } from './credentials.ts';

const secretFields = ['client-secret', 'password', 'refresh-token'];

/** What each flow cannot do without, besides what the schema asks for. */
const neededByFlow: { readonly [flow in OAuthFlow]: readonly string[] } = {
  'client-credentials': [],
  password: ['user', 'password'],
  'refresh-token': ['refresh-token'],
};

/** A token that is asked for first (RFC 6749). */
export const oauth2: AuthKind = {
  key: 'oauth2',
  schema: ({ z, scalar }) =>
    z.strictObject({
      flow: z.enum(oauthFlows),
      'token-url': scalar,
      'client-id': scalar,
      'client-secret': z.optional(scalar),
      'client-auth': z.optional(z.enum(['basic', 'body', 'none'])),
      scope: z.optional(scalar),
      audience: z.optional(scalar),
      user: z.optional(scalar),
      password: z.optional(scalar),
      'refresh-token': z.optional(scalar),
    }),
  keys: [
    'flow',
    'token-url',
    'client-id',
    'client-secret',
    'client-auth',
    'scope',
    'audience',
    'user',
    'password',
    'refresh-token',
  ],
  hints: {
    flow: 'The flows are client-credentials, password and refresh-token.',
    'client-auth': "A client says who it is by basic, in the body, or not at all: 'basic', 'body' or 'none'.",
  },
  read(reader, { node }) {
    const flow = reader.scalarText(node, 'flow') as OAuthFlow;
    const fields = new Map(
      reader
        .pairs(node)
        .filter(({ key }) => reader.keyText(key) !== 'flow')
        .map(({ key, value }) => [reader.keyText(key), reader.template(value!, 'credentials')]),
    );
    const missing = neededByFlow[flow].filter(key => !fields.has(key));
    if (missing.length > 0) {
      const needed = inWords(missing.map(key => `'${key}'`));
      reader.add('setting-form', rangeOf(node, reader.excerpt), `The flow '${flow}' needs ${needed}.`);
      return undefined;
    }
    return {
      kind: 'oauth2',
      templates: [...fields.values()],
      secretTemplates: secretFields.flatMap(key => fields.get(key) ?? []),
      usesHeader: true,
      yieldsTo: yieldsToHeader,
      fill(context) {
        const filled = new Map([...fields].map(([key, value]) => [key, render(value, context)]));
        const url = filled.get('token-url')!;
        return {
          ...nothingAdded,
          exchanged: { kind: 'oauth2', flow, fields: filled },
          note: ['Authorization', `Bearer, with a token of ${url} (${flow})`],
          secrets: secretFields.flatMap(key => filled.get(key) ?? []),
          addresses: [url],
        };
      },
    };
  },
};
