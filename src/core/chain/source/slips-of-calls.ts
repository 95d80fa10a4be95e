// Functions without a name, as other languages write what is asked or made of each item.

import type { ValueSlip } from './slips-in-values.ts';

/** The arrow or word behind which the body stands, with the name of the item. */
const LAMBDA =
  /(?<=[(,]\s*)(?:\(?\s*(?:const\s+|let\s+|var\s+)?([A-Za-z_]\w*)\s*\)?\s*(?:=>|->)|\|([A-Za-z_]\w*)\||lambda\s+([A-Za-z_]\w*)\s*:|(?:func|function|fn)\s*\(\s*([A-Za-z_]\w*)\s*\))\s*\{?\s*(?:return\s+)?/;

/** `map($, x => parse(x.data).celsius)`: the item is @. */
export function lambdas(value: string): readonly ValueSlip[] {
  let text = value;
  for (;;) {
    const found = LAMBDA.exec(text);
    const name = found?.slice(1).find((one) => one !== undefined);
    if (!found || name === undefined) break;
    const body = text.slice(found.index + found[0].length).trimStart();
    text =
      text.slice(0, found.index).replace(/,\s*$/, ', ') +
      body.replace(new RegExp(`(?<![\\w$.@])${name}\\b`, 'g'), '@');
  }
  if (text === value) return [];
  const plain = text.replace(/;?\s*\}(?=\s*\)*$)/, '');
  return [...new Set([text, plain])].map((one) => ({
    why: 'the second argument is an expression, and @ is the item',
    text: one,
    isPlain: true,
  }));
}
