import { parseJson, writeJson } from '../../core/language/json.ts';
import { isObject, type Value } from '../../core/language/values.ts';
import type { PageBody } from './data.ts';
import { sizeWords } from '../../core/units.ts';
import { copy, make } from './dom.ts';

/** Lines of a body that are shown before a person asks for all. */
const SHOWN_LINES = 120;

/** A body: JSON with the path of each value, a picture, or text. */
export function bodyElement(body: PageBody): HTMLElement {
  if (body.size === 0) return make('p', { class: 'quiet' }, 'no body');
  if (body.picture !== undefined)
    return make('img', {
      src: `data:${body.type!};base64,${body.picture}`,
      alt: `the picture that came, ${body.type!}`,
    });
  if (body.text === undefined)
    return make(
      'p',
      { class: 'quiet' },
      `${sizeWords(body.size)} of ${body.type ?? 'unknown type'}, not shown`,
    );
  let value: Value;
  try {
    if (body.cut) throw new Error('only its beginning');
    value = parseJson(body.text);
  } catch {
    return make(
      'div',
      {},
      make('pre', { class: 'text', tabindex: '0' }, body.text),
      body.cut && make('p', { class: 'quiet' }, `the beginning of ${sizeWords(body.size)}`),
    );
  }
  if (typeof value !== 'object' || value === null) return make('pre', { class: 'text' }, body.text);
  return tree(value);
}

interface Line {
  readonly path: string;
  readonly text: string;
  readonly outer: boolean;
}

function* lines(value: Value, path: string): Generator<Line> {
  if (Array.isArray(value)) {
    yield { path, text: `list of ${value.length}`, outer: true };
    for (let i = 0; i < value.length; i++) yield* lines(value[i]!, `${path}[${i}]`);
  } else if (isObject(value)) {
    const entries = Object.entries(value);
    if (path !== '$' || entries.length === 0)
      yield { path, text: `object of ${entries.length}`, outer: true };
    for (const [name, member] of entries) yield* lines(member, path + pathStep(name));
  } else yield { path, text: writeJson(value), outer: false };
}

/** A member as a path in a chain names it. */
function pathStep(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? `.${name}` : `['${name.replace(/[\\']/g, '\\$&')}']`;
}

function tree(value: Value): HTMLElement {
  const all = lines(value, '$');
  const list = make('ul', { class: 'tree' });
  const more = make('button', { type: 'button', class: 'more' }, 'show all of it');
  const add = (most: number): void => {
    for (let i = 0; i < most; i++) {
      const next = all.next();
      if (next.done) {
        more.remove();
        return;
      }
      list.append(treeLine(next.value));
    }
  };
  more.addEventListener('click', () => add(Infinity));
  const whole = make('div', {}, list, more);
  add(SHOWN_LINES);
  return whole;
}

function treeLine({ outer, path, text }: Line): HTMLElement {
  const button = make('button', { type: 'button', class: 'path', title: 'copy this path' }, path);
  button.addEventListener('click', () => void copy(path));
  return make('li', {}, button, ' ', make('span', { class: outer ? 'quiet' : 'value' }, text));
}
