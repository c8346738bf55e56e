import { type AuthKind, headerText, nothingAdded, yieldsToHeader } from '../authorization.ts';

/** A token in the header (RFC 6750). */
export const bearer: AuthKind = {
  key: 'bearer',
  schema: ({ scalar }) => scalar,
  read(_reader, settings) {
    const token = settings.whole();
    return {
      kind: 'bearer',
      templates: [token],
      secretTemplates: [token],
      usesHeader: true,
      yieldsTo: yieldsToHeader,
      fill(context) {
        const text = headerText(token, context);
        return { ...nothingAdded, headers: [['Authorization', `Bearer ${text}`]], secrets: [text] };
      },
    };
  },
};
