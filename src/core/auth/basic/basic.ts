import { TemplateError } from '../../language/templates/render.ts';
import { accountKind } from '../account.ts';
import { nothingAdded } from '../authorization.ts';

/** A user and a password in the header (RFC 7617). */
export const basic = accountKind('basic', ({ user, password }) => {
  if (user.includes(':'))
    throw new TemplateError(`The user '${user}' of basic authorization holds a colon, which ends it there.`);
  const text = Buffer.from(`${user}:${password}`, 'utf8').toString('base64');
  return { ...nothingAdded, headers: [['Authorization', `Basic ${text}`]], secrets: [password, text] };
});
