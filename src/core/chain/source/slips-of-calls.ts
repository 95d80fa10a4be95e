// What is asked or made of each item, as other languages write it.

import type { ValueSlip } from './slip.ts';

/** The arrow or word behind which the body stands, with the name of the item. */
const LAMBDA =
  /(?<=[(,]\s*)(?:\(?\s*(?:const\s+|let\s+|var\s+)?([A-Za-z_]\w*)\s*\)?\s*(?:=>|->)|\|([A-Za-z_]\w*)\||lambda\s+([A-Za-z_]\w*)\s*:|(?:func|function|fn)\s*\(\s*([A-Za-z_]\w*)\s*\))\s*\{?\s*(?:return\s+)?/;

/** `map($, x => parse(x.data).celsius)`: the item is @. */
export function lambdas(value: string): readonly ValueSlip[] {
  let text = value;
  for (;;) {
    const found = LAMBDA.exec(text);
    const name = found?.slice(1).find(Boolean);
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

/** `every piece in $.pieces: piece.cone <= 10`, `any of $.pieces has cone > 5` */
export const QUANTIFIED =
  /^(?:for\s+)?(every|all|each|any|some|one|at least one)\s+(?:of\s+)?(?:(\w+)\s+(?:in|of)\s+)?(\$?[\w.[\]*]+?)\s*[:,]?\s+(?:such that\s+|satisf(?:y|ies)\s+|ha(?:s|ve)\s+|with\s+|where\s+)?(.+)$/gi;

/** The same as a call of every or any. */
export function forEveryItem(
  ...[, word = '', name, list = '', condition = '']: (string | undefined)[]
): string {
  const asks = /^(?:any|some|one|at)/i.test(word) ? 'any' : 'every';
  const named = name === undefined ? undefined : new RegExp(`\\b${name}\\b`, 'g');
  const about = named?.test(condition)
    ? condition.replace(named, '@')
    : `@.${condition.replace(/^[@$]?\.?/, '')}`;
  return `${asks}(${list.replace(/\[\*\]$/, '')}, ${about})`;
}
