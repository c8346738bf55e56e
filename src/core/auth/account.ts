import type { EvaluationContext } from '../language/evaluation-context.ts';
import { render } from '../language/templates/render.ts';
import { type AuthKind, type FilledAuthorization, headerText, yieldsToHeader } from './authorization.ts';

export interface Account {
  readonly user: string;
  readonly password: string;
}

/**
 * A kind of authorization that is a user and a password, in the header Authorization.
 * @param fill what it adds to a request; throws TemplateError
 */
export function accountKind(key: string, fill: (account: Account) => FilledAuthorization): AuthKind {
  return {
    key,
    schema: ({ z, scalar }) => z.strictObject({ user: scalar, password: scalar }),
    keys: ['user', 'password'],
    read(_reader, settings) {
      const [user, password] = [settings.field('user'), settings.field('password')];
      return {
        kind: key,
        templates: [user, password],
        secretTemplates: [password],
        usesHeader: true,
        yieldsTo: yieldsToHeader,
        fill: (context: EvaluationContext) =>
          fill({ user: headerText(user, context), password: render(password, context) }),
      };
    },
  };
}
