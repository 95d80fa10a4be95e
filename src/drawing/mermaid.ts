import type { Frame, DrawnItem, Sequence } from './sequence.ts';

/** A sequence diagram as text for Mermaid (https://mermaid.js.org/syntax/sequenceDiagram.html), which wikis and forges draw. */
export function mermaid(sequence: Sequence): string {
  const ids = new Map(sequence.participants.map(({ id }, i) => [id, `p${i}`]));
  const { subtitle, title } = sequence;
  return [
    'sequenceDiagram',
    `  title: ${plain(subtitle === undefined ? title : `${title} (${subtitle})`)}`,
    ...sequence.participants.map(
      ({ id, isPerson, name }) => `  ${isPerson ? 'actor' : 'participant'} ${ids.get(id)!} as ${plain(name)}`,
    ),
    ...sequence.items.flatMap((item) => lines(item, ids, '  ')),
    '',
  ].join('\n');
}

function lines(item: DrawnItem, ids: ReadonlyMap<string, string>, indent: string): string[] {
  if (item.type === 'frame') return frameLines(item, ids, indent);
  const text = plain(item.mark === 'failed' ? `failed: ${item.text}` : item.text);
  if (item.type === 'note') return [`${indent}Note over ${ids.get(item.over)!}: ${text}`];
  const arrow = item.type === 'reply' ? '-->>' : '->>';
  return [`${indent}${ids.get(item.from)!}${arrow}${ids.get(item.to)!}: ${text}`];
}

function frameLines(
  { operator, sections }: Frame,
  ids: ReadonlyMap<string, string>,
  indent: string,
): string[] {
  const inside = (items: readonly DrawnItem[]): string[] =>
    items.flatMap((item) => lines(item, ids, `${indent}  `));
  const first = [...ids.values()][0]!;
  const last = [...ids.values()].at(-1)!;
  const over = first === last ? first : `${first},${last}`;
  // It has no frames of these two kinds.
  if (operator === 'ref' || operator === 'strict')
    return sections.flatMap(({ items, label }) => [
      `${indent}rect rgba(128, 128, 128, 0.1)`,
      `${indent}  Note over ${over}: ${plain(operator === 'ref' ? `follows ${label}` : label)}`,
      ...inside(items),
      `${indent}end`,
    ]);
  return [
    ...sections.flatMap(({ items, label }, i) => [
      `${indent}${i === 0 ? operator : operator === 'par' ? 'and' : 'else'} ${plain(label)}`,
      ...inside(items),
    ]),
    `${indent}end`,
  ];
}

/** A text on one line, with nothing in it that means something there. */
function plain(text: string): string {
  const shown = text
    .toWellFormed()
    .replace(/[\u0000-\u001f\u007f-\u009f\u2028\u2029\s]+/g, ' ')
    .trim()
    // eslint-disable-next-line no-useless-escape -- a dash at the end of a class is easily misread
    .replace(/[#;<>&"'`{}\[\]|\\%:]/g, (char) => (char === ':' ? ':' : `#${char.codePointAt(0)!};`));
  return shown === '' ? '#160;' : shown;
}
