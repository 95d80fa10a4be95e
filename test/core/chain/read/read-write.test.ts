import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  ['a row without its file', '  - write: { row: { piece: p1 } }\n', '3:12 missing-key: write has no to'],
  [
    'a row for a JSON list',
    '  - write: { to: a.json, row: { piece: p1 } }\n',
    '3:18 wrong-form: rows are not written into a JSON list',
  ],
  [
    'a column that tells rows apart and is none of the row',
    '  - write: { to: a.csv, row: { piece: p1 }, one-row-per: peice }\n',
    '3:58 unknown-name: the row has no column peice | the nearest is piece',
  ],
  [
    'a row that is a text',
    '  - write: { to: a.csv, row: piece }\n',
    '3:30 wrong-form: a row is a map of columns and values',
  ],
  [
    'a name that the row uses and nothing defines',
    '  - write: { to: a.csv, row: { piece: "${pice}" } }\n',
    '3:42 unknown-name: nothing defines the name pice',
  ],
])('rows that are written: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
