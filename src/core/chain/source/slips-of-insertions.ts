// What a text with a value in it may have been meant as, where the value stands in it as elsewhere.

/** What stands for `${name}` elsewhere. */
const INSERTED: readonly RegExp[] = [
  /(?<!\$\{[^{}]*)["']?[%<@:*~#[({=&!?+]*\s*(\$\.[\w.[\]*]+)\s*[%>\])}?!:;]*["']?/g,
  /(?<!\$\{[^{}]*)\$?\{\{\{?\s*\$?\.?([\w.$[\]*()]+?)\s*\}?\}\}?/g,
  /(?<!\$\{[^{}]*)[$#%@]?\{\s*[$@]?\s*([\w.$[\]*()]+?)\s*\}/g,
  /(?<!\$\{[^{}]*)\$?\(\s*([A-Za-z_$][\w.$[\]*()]*?)\s*\)/g,
  /(?<!\$\{[^{}]*)\$?\[\[?\s*\$?([\w.$]+?)\s*\]?\]/g,
  /(?<!\$\{[^{}]*)<%?=?\s*\$?([\w.$[\]*()]+?)\s*%?>/g,
  /(?<!\$\{[^{}]*)%([A-Za-z_][\w.$[\]*()]*?)%/g,
  /(?<=[/\s=]|^)[:$@*~#%&!]([A-Za-z_][\w.]*)/g,
  /(?<!\$\{[^{}]*)\$([\w.]+)\}/g,
  /(?<!\$\{[^{}]*)"?\s*\+\s*([\w.$[\]*()]+?)\s*\+\s*"?/g,
  /(?<!\$\{[^{}]*)\\\$\{([\w.$[\]*()]+?)\}/g,
  /\$\{\s*["'$]+([\w.$[\]*()]+?)["']?\s*\}/g,
  /\$\{\s*([\w.$[\]*()]+?)\s*(?:[!?;,.:]+|:?-[^}>]*|\?\?[^}]*|\bor\b[^}]*)\}/g,
  /\$\{\s*(?:inputs?|vars?|variables?|env|this|self|params?|args?|context|ctx|state|data|globals?|values?|steps|get\(|var\()\.?([\w.$[\]*]+?)\)?\s*\}/g,
  /\$\{([\w.$[\]*()]+?)\}[)}\]]+/g,
  /\$\{([\w.$[\]*()]+?)\}\$\{/g,
  /\$\{([\w.$[\]*()]+?)(?=[^\w.$[\]*()}]|$)/g,
];

/** In braces a value with an insertion stands in quotes. */
function quotedAsNeeded(text: string, before: string): string {
  return /^[{[]/.test(before) ? text.replace(/(?<=[:,[]\s*)(\$\{[^{}"]*\})(?=\s*[,}\]])/g, '"$1"') : text;
}

/** `"Order " + order.id + " of " + day`: texts and values joined as elsewhere. */
export function joined(value: string): string | undefined {
  const pieces = value.match(/"[^"]*"|'[^']*'|[^\s+"'][^+"']*/g)?.map((piece) => piece.trim()) ?? [];
  const signs = value.replace(/\s/g, '');
  const isJoined = [' + ', ''].some((sign) => pieces.join(sign).replace(/\s/g, '') === signs);
  if (pieces.length < 2 || !isJoined) return undefined;
  const isText = (piece: string): boolean => /^["']/.test(piece);
  if (!pieces.some(isText) || pieces.every(isText)) return undefined;
  const text = pieces.map((piece) =>
    isText(piece) ? piece.slice(1, -1) : `\${${piece.replace(/^\$\{(.*)\}$/, '$1')}}`,
  );
  // Without a sign between them they are words of one text.
  const between = (one: string, next: string): string =>
    value.includes('+') || /\s$/.test(one) || /^\s/.test(next) ? '' : ' ';
  return `"${text.reduce((all, next) => all + between(all, next) + next)}"`;
}

/** `${day:yyyy-MM-dd}` */
function formatted(value: string): string {
  return value.replace(
    /\$\{([\w.]+)\s*[:|,]\s*["']?([yMdHhmsSE:/. T-]{2,}|0+(?:\.0+)?)["']?\}/g,
    "${format($1, '$2')}",
  );
}

/** What a text with something inserted may have been meant as. */
export function insertionSlips(value: string): readonly string[] {
  const inserted = INSERTED.flatMap((pattern) => {
    const text = quotedAsNeeded(value.replace(pattern, '${$1}'), value);
    return [text, text.replace(/\$\{(\w+)\}/g, (name) => name.toLowerCase())].filter((one) => one !== value);
  });
  return [...new Set([formatted(value), ...inserted])].filter((one) => one !== value);
}
