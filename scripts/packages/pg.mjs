import { changeFiles, replaceEach, standIn } from './patch.mjs';

/** What a connection is made of is what the settings say, and nothing else: no variables of the process, no password file. */
export const pg = {
  name: 'pg',
  version: '8.23.1',
  setup(build) {
    standIn(build, 'pg', '/pg/', {
      pgpass: 'module.exports = (connection, done) => done(undefined);',
      'pg-native': 'module.exports = null;',
      'pg-cloudflare': 'module.exports = null;',
    });
    changeFiles(build, {
      'pg/lib/connection-parameters.js': text => replaceEach(text, 'process.env', '({})'),
      'pg/lib/defaults.js': text => replaceEach(text, 'process.env', '({})'),
    });
  },
};
