import { render } from '../../language/templates/render.ts';
import { account, accountKeys } from '../account.ts';
import { type AuthKind, headerText, nothingAdded, yieldsToHeader } from '../authorization.ts';

/** A user and a password, proved to the challenge of a server (RFC 7616). */
export const digest: AuthKind = {
  key: 'digest',
  schema: account,
  keys: accountKeys,
  read(_reader, settings) {
    const [user, password] = [settings.field('user'), settings.field('password')];
    return {
      kind: 'digest',
      templates: [user, password],
      secretTemplates: [password],
      usesHeader: true,
      yieldsTo: yieldsToHeader,
      fill(context) {
        const [name, secret] = [headerText(user, context), render(password, context)];
        return {
          ...nothingAdded,
          exchanged: { kind: 'digest', user: name, password: secret },
          note: ['Authorization', `Digest of ${name}, once the server has sent its challenge`],
          secrets: [secret],
        };
      },
    };
  },
};
