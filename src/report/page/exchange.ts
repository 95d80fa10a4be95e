import type { PageHeaders, PageRequest } from './data.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import { make } from './dom.ts';
import { bodyElement } from './body.ts';

const PHASES = [
  ['name', 'looking up the name'],
  ['connect', 'connecting'],
  ['tls', 'TLS'],
  ['firstByte', 'until the first byte'],
  ['body', 'the body'],
] as const;

/** A request and what came of it, side by side. */
export function showExchange(request: PageRequest, nth: number, count: number): HTMLElement {
  const which = request.page === undefined ? `attempt ${nth + 1}` : `page ${request.page}`;
  return make(
    'section',
    { class: 'exchange', 'aria-label': count > 1 ? `${which} of ${count} requests` : 'request and response' },
    count > 1 && make('h4', {}, `${which}, of ${count} requests`),
    (request.delayed ?? 0) > 0 &&
      make('p', { class: 'quiet' }, `delayed for ${timeWords(request.delayed!)} by the pace of the service`),
    make('div', { class: 'columns' }, requestColumn(request), responseColumn(request)),
  );
}

function requestColumn({ body, headers, method, url }: PageRequest): HTMLElement {
  return make(
    'div',
    { class: 'request-column' },
    make('h5', {}, 'request'),
    make('p', { class: 'line' }, make('b', {}, method), ' ', url),
    fields(headers),
    body && bodyElement(body),
  );
}

function responseColumn({ response, elapsed, problem }: PageRequest): HTMLElement {
  const column = make('div', { class: 'response-column' }, make('h5', {}, 'response'));
  if (!response) {
    column.append(make('p', { class: 'line bad' }, problem?.message ?? 'no response is recorded'));
    return column;
  }
  const { body, headers, phases, status } = response;
  column.append(
    make(
      'p',
      { class: 'line' },
      make('b', { class: status < 400 ? 'good' : 'bad' }, String(status)),
      ` ${timeWords(elapsed)} · ${body.size === 0 ? 'no body' : `${body.type ?? 'no content type'}, ${sizeWords(body.size)}`}`,
    ),
    fields(headers),
  );
  const parts = PHASES.flatMap(([name, words]) => {
    const time = phases[name];
    return time === undefined ? [] : [`${words} ${timeWords(time)}`];
  });
  if (parts.length > 0) column.append(make('p', { class: 'quiet' }, parts.join(' · ')));
  column.append(bodyElement(body));
  return column;
}

function fields(headers: PageHeaders): HTMLElement {
  return make(
    'details',
    { class: 'fields' },
    make('summary', {}, `${headers.length} headers`),
    make(
      'dl',
      {},
      ...headers.flatMap(([name, value]) => [make('dt', {}, name), ' ', make('dd', {}, value), ' ']),
    ),
  );
}
