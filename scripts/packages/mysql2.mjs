import { changeFiles, replaceEach } from './patch.mjs';

/** What is asked for comes in UTF-8: the tables of all other encodings would be nine tenths of it. */
export const mysql2 = {
  name: 'mysql2',
  version: '3.24.6',
  setup(build) {
    changeFiles(build, {
      'iconv-lite/encodings/index.js': text => {
        let fewer = text;
        for (const name of ['sbcs-data-generated', 'dbcs-codec', 'dbcs-data'])
          fewer = replaceEach(fewer, `require("./${name}")`, '{}');
        return fewer;
      },
    });
  },
};
