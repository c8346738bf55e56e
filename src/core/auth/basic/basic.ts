import { render, TemplateError } from '../../language/templates/render.ts';
import { account, accountKeys } from '../account.ts';
import { type AuthKind, headerText, nothingAdded, yieldsToHeader } from '../authorization.ts';

/** A user and a password in the header (RFC 7617). */
export const basic: AuthKind = {
  key: 'basic',
  schema: account,
  keys: accountKeys,
  read(_reader, settings) {
    const [user, password] = [settings.field('user'), settings.field('password')];
    return {
      kind: 'basic',
      templates: [user, password],
      secretTemplates: [password],
      usesHeader: true,
      yieldsTo: yieldsToHeader,
      fill(context) {
        const [name, secret] = [headerText(user, context), render(password, context)];
        if (name.includes(':'))
          throw new TemplateError(
            `The user '${name}' of basic authorization holds a colon, which ends it there.`,
          );
        const text = Buffer.from(`${name}:${secret}`, 'utf8').toString('base64');
        return { ...nothingAdded, headers: [['Authorization', `Basic ${text}`]], secrets: [secret, text] };
      },
    };
  },
};
