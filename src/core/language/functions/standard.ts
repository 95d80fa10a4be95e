import { ANY, BIT, NUMBER, YES_NO } from '../kinds.ts';
import { patternOf } from '../pattern/pattern.ts';
import { isObject, type Value } from '../values.ts';
import { define, takes } from './define.ts';
import { anyCase, caseOf } from './text.ts';

const family = 'standard';

/** Items, members or code points; nothing for other kinds (RFC 9535, section 2.4.4). */
function lengthOf(value: Value): number | undefined {
  if (typeof value === 'string') {
    let points = 0;
    for (let i = 0; i < value.length; i++) {
      points++;
      const unit = value.charCodeAt(i);
      if (unit >= 0xd800 && unit <= 0xdbff) {
        const next = value.charCodeAt(i + 1);
        if (next >= 0xdc00 && next <= 0xdfff) i++;
      }
    }
    return points;
  }
  if (Array.isArray(value)) return value.length;
  return isObject(value) ? Object.keys(value).length : value instanceof Uint8Array ? value.length : undefined;
}

const measurable = BIT.text | BIT.list | BIT.object | BIT.bytes;

export const standardFunctions = [
  define(family, 'length', {
    about: 'The items of a list, the members of an object, the characters (code points) of a text, or bytes.',
    parameters: [{ ...takes.any('value'), bits: measurable }],
    returns: NUMBER,
    examples: [
      ['length([1, 2, 3])', '3'],
      ["length('kiln')", '4'],
      ['length({ a: 1 })', '1'],
    ],
    evaluate: ([value]) => lengthOf(value),
  }),
  define(family, 'count', {
    about: 'How many nodes a path finds.',
    parameters: [takes.nodes('path')],
    returns: NUMBER,
    examples: [['count($.pieces[*])', '3']],
    evaluate: ([nodes]) => nodes.length,
  }),
  define(family, 'match', {
    about: "Whether a whole text matches a pattern of RFC 9485. With 'i' the case of letters does not count.",
    parameters: [takes.text('text'), takes.text('pattern', { literal: 'pattern' }), anyCase],
    returns: YES_NO,
    examples: [
      ["match('A3', '[A-Z][0-9]')", 'true'],
      ["match('rack A3', '[A-Z][0-9]')", 'false'],
    ],
    evaluate: ([text, pattern, mode]) => patternOf(pattern, caseOf(mode)).match(text),
  }),
  define(family, 'search', {
    about:
      "Whether some part of a text matches a pattern of RFC 9485. With 'i' the case of letters does not count.",
    parameters: [takes.text('text'), takes.text('pattern', { literal: 'pattern' }), anyCase],
    returns: YES_NO,
    examples: [
      ["search('rack A3', '[A-Z][0-9]')", 'true'],
      ["search('Rack A3', 'rack', 'i')", 'true'],
    ],
    evaluate: ([text, pattern, mode]) => patternOf(pattern, caseOf(mode)).search(text),
  }),
  define(family, 'value', {
    about: 'The one value that a path finds; nothing where it finds none or several.',
    parameters: [takes.nodes('path')],
    returns: ANY,
    examples: [["value($.pieces[?@.id == 'p2'].glaze)", '"celadon"']],
    evaluate: ([nodes]) => (nodes.length === 1 ? nodes[0] : undefined),
  }),
];
