import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { readStatements } from '../../src/core/pages/statements.ts';
import { sentenceOf } from '../../src/site/sentence.ts';
import { table } from '../support/inputs.ts';

test('statements are sentences', () => {
  for (const [statement = '', sentence] of table('sentences')[0]!.rows) {
    const source = new Source('a.md', statement);
    const { statements, errors } = readStatements(new Excerpt(source, statement, 1));
    assert.deepEqual(errors, [], statement);
    const pieces = sentenceOf(statements[0] as never, source);
    assert.equal(
      pieces.map(piece => (typeof piece === 'string' ? piece : `\`${piece.code}\``)).join(''),
      sentence,
    );
  }
});
