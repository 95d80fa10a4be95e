/** The first target of a Link field (RFC 8288, section 3) that has a relation; relations ignore case. Linear in the field. */
export function findLink(field: string, relation: string): string | undefined {
  const wanted = relation.toLowerCase();
  for (let at = 0; ;) {
    const open = field.indexOf('<', at);
    const close = open < 0 ? -1 : field.indexOf('>', open);
    if (close < 0) return undefined;
    const { end, rel } = parametersOf(field, close + 1);
    if (rel?.toLowerCase().split(/\s+/).includes(wanted)) return field.slice(open + 1, close);
    at = end;
  }
}

/** The first `rel` among parameters (only that one counts), and where they end: behind the comma that no quotes enclose. */
function parametersOf(field: string, start: number): { readonly end: number; readonly rel?: string } {
  let rel: string | undefined;
  let at = start;
  while (at < field.length && field[at] !== ',') {
    if (field[at] !== ';') {
      // Something that is no parameter; what may be the next target is left.
      if (field[at] === '<') break;
      at++;
      continue;
    }
    at++;
    const nameStart = at;
    while (at < field.length && !/[=;,<]/.test(field[at]!)) at++;
    const name = field.slice(nameStart, at).trim().toLowerCase();
    if (field[at] !== '=') continue;
    at++;
    while (field[at] === ' ' || field[at] === '\t') at++;
    let value: string;
    if (field[at] === '"') {
      const valueStart = ++at;
      while (at < field.length && field[at] !== '"') at += field[at] === '\\' ? 2 : 1;
      value = field.slice(valueStart, at).replace(/\\(.)/g, '$1');
      at++;
    } else {
      const valueStart = at;
      while (at < field.length && !/[;,]/.test(field[at]!)) at++;
      value = field.slice(valueStart, at).trim();
    }
    if (name === 'rel') rel ??= value;
  }
  return { end: field[at] === ',' ? at + 1 : at, ...(rel === undefined ? {} : { rel }) };
}
