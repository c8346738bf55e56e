import { accountKind } from '../account.ts';
import { nothingAdded } from '../authorization.ts';

/** A user and a password, proved to the challenge of a server (RFC 7616). */
export const digest = accountKind('digest', ({ user, password }) => ({
  ...nothingAdded,
  exchanged: { kind: 'digest', user, password },
  note: ['Authorization', `Digest of ${user}, once the server has sent its challenge`],
  secrets: [password],
}));
