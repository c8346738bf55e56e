import { apiKey } from './api-key/api-key.ts';
import type { AuthKind } from './authorization.ts';
import { basic } from './basic/basic.ts';
import { bearer } from './bearer/bearer.ts';
import { digest } from './digest/digest.ts';
import { oauth2 } from './oauth2/oauth2.ts';

/** Every kind of authorization. */
export const authKinds: readonly AuthKind[] = [bearer, basic, digest, apiKey, oauth2];
