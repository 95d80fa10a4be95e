import { visible, shorten } from '../../language/show.ts';
import { isObject, memberOf } from '../../language/values.ts';
import type { CallResult } from './call-result.ts';
import { describeText } from './read-response.ts';

/** What the body of an error says, in a few words: the title of a page, or the details of a problem (RFC 9457). */
export function whatItSaid({ text, type, value }: CallResult['body']): string {
  if (text === undefined || text === '') return '';
  if (type !== undefined && /html/.test(type)) return `, ${describeText(text, undefined)}`;
  if (!isObject(value)) return '';
  const said = ['detail', 'error_description', 'message', 'title', 'error'].flatMap((name) => {
    const member = memberOf(value, name);
    return typeof member === 'string' && member !== '' ? [member] : [];
  })[0];
  return said === undefined ? '' : `, "${visible(shorten(said, 120))}"`;
}
