// The same random queries given to two other implementations of RFC 9535. Both have known defects, so a difference is
// looked at, and what is known of them is left out here.
import { expect, test } from '@jest/globals';
import * as p3 from 'json-p3';
import { query as second } from 'jsonpath-rfc9535';
import { compileNodeList, compileValue } from '../../../src/core/language/compile.ts';
import { parseQuery } from '../../../src/core/language/parser.ts';
import { givesNodes } from '../../../src/core/language/tree.ts';
import { randomDocument, randomQuery, seeded } from './random-queries.ts';
import { environment } from './support.ts';

/** They count UTF-16 units, compare a missing item as if it were there, or match what is no text. */
const KNOWN = /length\(|\[\d\]|match\(/;

test('4,000 random queries find the same as elsewhere', () => {
  const chance = seeded(20_260_301);
  let compared = 0;
  for (let i = 0; i < 4000; i++) {
    const document = randomDocument(chance, 4);
    const query = randomQuery(chance);
    const tree = parseQuery(query);
    const ours = compileNodeList(tree, false)(environment({ response: document }), undefined);
    const others = [p3.jsonpath.query(query, document as never).values(), second(document as never, query)];
    const agreed = others.filter((other) => JSON.stringify(other) === JSON.stringify(ours)).length;
    // The stricter rule outside filters finds the same or nothing at all.
    const strict = compileValue(tree)(environment({ response: document }), undefined);
    if (Array.isArray(strict) && givesNodes(tree)) expect(strict).toEqual(ours);
    else expect(strict).toEqual(givesNodes(tree) ? undefined : ours[0]);
    if (KNOWN.test(query)) continue;
    compared++;
    if (agreed === 0)
      throw new Error(
        `${query} on ${JSON.stringify(document)}: ${JSON.stringify(ours)}, elsewhere ${JSON.stringify(others)}`,
      );
  }
  expect(compared).toBeGreaterThan(2000);
});
