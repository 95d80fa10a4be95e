import type { QueryTree, Segment, Selector } from './tree.ts';

/** A segment of a path, as it would be written; of a filter only that it is one. */
export function segmentText({ descendant, selectors }: Segment): string {
  const [selector] = selectors as [Selector];
  if (selectors.length === 1 && selector.type === 'name' && isPlain(selector.name))
    return `${descendant ? '..' : '.'}${selector.name}`;
  return `${descendant ? '..' : ''}[${selectors.map(selectorText).join(', ')}]`;
}

/** A path as it would be written. */
export function pathText({ base, segments }: QueryTree): string {
  const start =
    base.type === 'response'
      ? '$'
      : base.type === 'item'
        ? '@'
        : base.type === 'name'
          ? base.name
          : base.type === 'query'
            ? pathText(base)
            : base.type === 'call'
              ? `${base.name}(…)`
              : '(…)';
  return start + segments.map(segmentText).join('');
}

function isPlain(name: string): boolean {
  return /^[A-Za-z_\u0080-\uffff][A-Za-z0-9_\u0080-\uffff]*$/.test(name);
}

function selectorText(selector: Selector): string {
  switch (selector.type) {
    case 'name':
      return `'${selector.name}'`;
    case 'index':
      return String(selector.index);
    case 'wildcard':
      return '*';
    case 'filter':
      return '?…';
    case 'slice':
      return `${selector.start ?? ''}:${selector.end ?? ''}${selector.step === undefined ? '' : `:${selector.step}`}`;
  }
}

/** A member as it is written behind a path: `.name`, or `['…']` where the name is no word. */
export function memberText(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? `.${name}` : `['${name.replace(/[\\']/g, '\\$&')}']`;
}
