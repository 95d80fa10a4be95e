// What a person is told where a path finds nothing, or a condition does not hold: how far it got, what was there, the way out.
import { describe, expect, test } from '@jest/globals';
import { parseJson } from '../../../src/core/language/json.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { environment, expression } from './support.ts';

const response = parseJson(`{
  "pieces": [
    { "id": "p1001", "glaze": "ash", "cone": 6, "notes": null, "marks": [] },
    { "id": "p1002", "glaze": "celadon", "cone": 4, "notes": "second firing", "marks": ["chip"] }
  ],
  "rack": { "name": "A3", "shelf-height": 40, "maker": { "name": "Ines" } },
  "empty": {},
  "none": [],
  "packed": "{\\"id\\": 7}",
  "state": "cooling",
  "big": 9007199254740993
}`);
const names = { rack: 'A3', limit: 5, ids: ['p1001', 'p1002'], nothing_here: [] };

const MEMBERS = '$ has the members pieces, rack, empty, none, packed, state, big';

/** Why an expression is nothing, and what to write instead. */
function why(text: string): [message: string, hint?: string] {
  const { message, hint } = expression(text, names).whyNothing(environment({ response, names }));
  return hint === undefined ? [message] : [message, hint];
}

describe('a path that finds nothing', () => {
  test.each<[text: string, message: string, hint?: string]>([
    [
      '$.peices',
      '$.peices found nothing: $ has the members pieces, rack, empty, none, packed, state, big',
      '$.pieces',
    ],
    [
      '$.pieces[0].colour',
      '$.pieces[0].colour found nothing: $.pieces[0] has the members id, glaze, cone, notes, marks',
    ],
    [
      '$.pieces[0].glase',
      '$.pieces[0].glase found nothing: $.pieces[0] has the members id, glaze, cone, notes, marks',
      '$.pieces[0].glaze',
    ],
    [
      '$.pieces.id',
      '$.pieces.id found nothing: $.pieces is a list of 2 items',
      '$.pieces[0].id for the first, $.pieces[*].id for all',
    ],
    ['$.pieces[7].id', '$.pieces[7].id found nothing: $.pieces is a list of 2 items'],
    ['$.none[0]', '$.none[0] found nothing: $.none is an empty list'],
    ['$.none.id', '$.none.id found nothing: $.none is an empty list'],
    ['$.empty.id', '$.empty.id found nothing: $.empty is an object without members'],
    ['$.pieces[0].notes.text', '$.pieces[0].notes.text found nothing: $.pieces[0].notes is null'],
    ['$.state.name', "$.state.name found nothing: $.state is text, 'cooling'"],
    ['$.big.size', '$.big.size found nothing: $.big is a number, 9007199254740993'],
    [
      '$.packed.id',
      `$.packed.id found nothing: $.packed is text, '{"id": 7}'`,
      'this text looks like JSON: parse($.packed).id',
    ],
    [
      '$.rack.shelf_height',
      '$.rack.shelf_height found nothing: $.rack has the members name, shelf-height, maker',
      "$.rack['shelf-height']",
    ],
    [
      "$['rack']['makr'].name",
      "$['rack']['makr'].name found nothing: $.rack has the members name, shelf-height, maker",
      '$.rack.maker',
    ],
    ['ids[9]', 'ids[9] found nothing: ids is a list of 2 items'],
  ])('%s', (text, ...said) => {
    expect(why(text)).toEqual(said);
  });

  test.each<[text: string, message: string, hint?: string]>([
    [
      'length($.pieces[0].colour)',
      '$.pieces[0].colour found nothing: $.pieces[0] has the members id, glaze, cone, notes, marks',
    ],
    ['$.limit + 1', '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big'],
    ['1 + $.limit', '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big'],
    ['-$.limit', '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big'],
    [
      '$.limit ?? $.most',
      '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big',
    ],
    [
      '[limit, $.limit]',
      '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big',
    ],
    [
      '{ most: $.limit }',
      '$.limit found nothing: $ has the members pieces, rack, empty, none, packed, state, big',
    ],
    ['first($.none)', 'first($.none) gave nothing: the list is empty'],
    ['max(nothing_here)', 'max(nothing_here) gave nothing: the list is empty'],
    [
      "first($.pieces[?@.glaze == 'tenmoku']).id",
      "$.pieces[?@.glaze == 'tenmoku'] found nothing: no item of $.pieces matches the filter; 2 items were looked at; for the first: 'ash' == 'tenmoku'",
    ],
    ['map($.pieces, @.notes.text)', 'item 0: @.notes.text found nothing: @.notes is null'],
    [
      'sum(map($.pieces, @.weight))',
      'item 0: @.weight found nothing: @ has the members id, glaze, cone, notes, marks',
    ],
    ["extract($.state, 'x+')", "extract($.state, 'x+') gave nothing"],
    ['nothing', 'the word nothing stands here'],
  ])('inside %s', (text, ...said) => {
    const found = ((): [string, string?] => {
      try {
        return why(text);
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        return [error.problem.message];
      }
    })();
    expect(found).toEqual(said);
  });

  test.each<[text: string, message: string, hint?: string]>([
    [
      "$.pieces[?@.glaze == 'tenmoku'].id",
      "$.pieces[?@.glaze == 'tenmoku'].id found nothing: no item of $.pieces matches the filter; 2 items were looked at; for the first: 'ash' == 'tenmoku'",
    ],
    [
      '$.pieces[*].colour',
      '$.pieces[*].colour found nothing: none of the 2 items of $.pieces[*] has colour; they have id, glaze, cone, notes, marks',
    ],
    [
      '$.pieces[*].glase',
      '$.pieces[*].glase found nothing: none of the 2 items of $.pieces[*] has glase; they have id, glaze, cone, notes, marks',
      '$.pieces[*].glaze',
    ],
    ['$.peices[*].id', `$.peices[*].id found nothing: ${MEMBERS}`, '$.pieces'],
    ['$.peices[?@.id]', `$.peices[?@.id] found nothing: ${MEMBERS}`, '$.pieces'],
    ['$.peices[1:]', `$.peices[1:] found nothing: ${MEMBERS}`, '$.pieces'],
    ['$.peices..id', `$.peices..id found nothing: ${MEMBERS}`, '$.pieces'],
    ["$['pieces', 'rakc']", `$['pieces', 'rakc'] found nothing: ${MEMBERS}`, '$.rack'],
    ['map($.pieces, @.id.x)[*]', "item 0: @.id.x found nothing: @.id is text, 'p1001'"],
    ['$.state[*]', "$.state[*] found nothing: $.state is text, 'cooling'"],
    [
      '$.pieces[*].notes[*].x',
      '$.pieces[*].notes[*].x found nothing: none of the 2 items of $.pieces[*].notes has [*]; the first is null',
    ],
    ['$.none[*].id', '$.none[*].id found nothing: $.none is an empty list'],
    [
      '$.rack[*].size',
      '$.rack[*].size found nothing: none of the 3 items of $.rack[*] has size; they have name',
    ],
    ['$..kiln', '$..kiln found nothing: $ has the members pieces, rack, empty, none, packed, state, big'],
    ['$.pieces[5:].id', '$.pieces[5:].id found nothing: $.pieces is a list of 2 items'],
  ])('of several results: %s', (text, ...said) => {
    expect(why(text)).toEqual(said);
  });

  test('where there is no response at all', () => {
    const { message } = expression('$.id').whyNothing(environment());
    expect(message).toBe('$ is nothing: the response has no body, or none that could be read');
  });

  test('under a name that a skipped step would have kept', () => {
    const { message, hint } = expression('rack', { rack: 'A3' }).whyNothing(environment({ response }));
    expect([message, hint]).toEqual([
      'rack is nothing: nothing was kept under this name in this run',
      'rack ?? other',
    ]);
  });
});

describe('two long values that differ', () => {
  const long = Array.from({ length: 40 }, (_, i) => ({ id: i, ok: true }));
  const text = 'a long description of what stands on the rack today, 29,3 kg in all';
  const differ = (left: unknown, right: unknown): string =>
    expression('$.a == $.b', names).whatCame(
      environment({ response: parseJson(JSON.stringify({ a: left, b: right })), names }),
    );
  test.each<[string, unknown, unknown, string]>([
    [
      'a member',
      long,
      long.map((one) => (one.id === 29 ? { ...one, ok: false } : one)),
      'they differ at [29].ok: true and false',
    ],
    [
      'an item more',
      long.slice(0, 39),
      long,
      'the right one has 1 item more, the first [39]: {"id": 39, "ok": true}',
    ],
    ['another order', long, [...long].reverse(), 'they hold the same items in another order, from [0] on'],
    ['an extra member', { text, note: 1 }, { text }, 'only the left one has note: 1'],
    [
      'a text',
      text,
      text.replace('29,3', '29,4'),
      "they differ from character 57 on '…k today, 29,3 kg in all' and '…k today, 29,4 kg in all'",
    ],
    ['short ones', 1, 2, '$.a is 1, $.b is 2'],
  ])('%s', (_, left, right, came) => {
    expect(differ(left, right)).toBe(came);
  });
});

describe('a condition that does not hold', () => {
  test.each<[text: string, got: string]>([
    ["$.state == 'done'", "'cooling'"],
    ["'done' == $.state", "'cooling'"],
    ["$.state in ['done', 'cracked']", "'cooling'"],
    ['$.pieces[0].cone >= limit + 2', '$.pieces[0].cone is 6, limit + 2 is 7'],
    ['$.big == 9007199254740992', '9007199254740993'],
    ["$.pieces[0].cone == '6'", '6, a number, and a number never equals text'],
    ['$.pieces[0].notes == rack', "$.pieces[0].notes is null, rack is 'A3'"],
    ["!($.state == 'cooling')", "($.state == 'cooling') holds"],
    ["$.state == 'done' || limit > 9", "'cooling'; 5"],
    ["$.state == 'cooling' && limit > 9", '5'],
    [
      'exists($.pieces[0].colour)',
      '$.pieces[0].colour found nothing: $.pieces[0] has the members id, glaze, cone, notes, marks',
    ],
    [
      "any($.pieces, @.glaze == 'tenmoku')",
      `false for each of 2 items, the first {"id": "p1001", "glaze": "ash", "cone": 6, "notes": null, "…`,
    ],
    ['any($.none, @ == 1)', 'an empty list'],
    ['every($.pieces, @.cone > 5)', '1 of 2 items are otherwise, the first is item 1: 4'],
    ["begins($.state, 'heat')", "'cooling'"],
    ["contains(ids, 'p1003')", '["p1001", "p1002"]'],
    ["match($.state, 'd.*')", "'cooling'"],
  ])('%s', (text, came) => {
    expect(expression(text, names).whatCame(environment({ response, names }))).toBe(came);
  });
});
