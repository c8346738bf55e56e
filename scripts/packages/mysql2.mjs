import { changeFiles, replaceEach } from './patch.mjs';

const anyName = `checkServerIdentity: verifyIdentity
          ? Tls.checkServerIdentity
          : function () {
              return undefined;
            },`;

/**
 * What is asked for comes in UTF-8: the tables of all other encodings would be nine tenths of it. And a certificate has to
 * be one of the host that is asked, be that a name or an address.
 */
export const mysql2 = {
  name: 'mysql2',
  version: '3.24.6',
  setup(build) {
    changeFiles(build, {
      'mysql2/lib/base/connection.js': text =>
        replaceEach(
          text,
          anyName,
          'checkServerIdentity: (_name, certificate) => Tls.checkServerIdentity(this.config.host, certificate),',
        ),
      'iconv-lite/encodings/index.js': text => {
        let fewer = text;
        for (const name of ['sbcs-data-generated', 'dbcs-codec', 'dbcs-data'])
          fewer = replaceEach(fewer, `require("./${name}")`, '{}');
        return fewer;
      },
    });
  },
};
