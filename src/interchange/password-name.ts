/** Names of members and elements whose value nobody writes into a page. */
export const passwordName = /^(?:password|passwd|passphrase|pin|secret|client_?secret)$/i;
