import { TemplateError } from '../../language/templates/render.ts';
import type { Header } from '../../model/http-messages.ts';
import { type AuthKind, type FilledAuthorization, headerText, nothingAdded } from '../authorization.ts';

type Place = 'header' | 'query' | 'cookie';

/** A name and a value, where the server looks for them. */
export const apiKey: AuthKind = {
  key: 'api-key',
  schema: ({ z, scalar }) =>
    z.strictObject({
      name: scalar,
      value: scalar,
      in: z.optional(z.enum(['header', 'query', 'cookie'])),
    }),
  keys: ['name', 'value', 'in'],
  hints: { in: 'A key stands in the header, the query or a cookie: in: header.' },
  read(reader, settings) {
    const [name, value] = [settings.field('name'), settings.field('value')];
    const place = (reader.scalarText(settings.node, 'in') ?? 'header') as Place;
    const written = name.parts.join('').toLowerCase();
    return {
      kind: 'api-key',
      templates: [name, value],
      secretTemplates: [value],
      usesHeader: false,
      yieldsTo: own => place === 'header' && own.has(written),
      fill(context) {
        const [key, secret] = [headerText(name, context), headerText(value, context)];
        if (place === 'cookie') refuseInCookie(key, secret);
        return { ...nothingAdded, ...added[place](key, secret), secrets: [secret] };
      },
    };
  },
};

const added: { readonly [place in Place]: (...pair: Header) => Partial<FilledAuthorization> } = {
  header: (...pair) => ({ headers: [pair] }),
  query: (...pair) => ({ query: [pair] }),
  cookie: (name, value) => ({ cookie: `${name}=${value}` }),
};

/** RFC 6265, 4.1.1: what would end the cookie, or begin another. */
function refuseInCookie(name: string, value: string): void {
  if (/[\s;,="]/.test(name) || /[\s;,"\\]/.test(value))
    throw new TemplateError(
      'A value of the authorization holds white space, a quote, a comma or a semicolon, which cannot stand in a cookie.',
    );
}
