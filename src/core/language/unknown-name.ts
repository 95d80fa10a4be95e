import type { InferContext, Remedy } from './inferring.ts';
import { BIT, type Kind, mayBe } from './kinds.ts';
import { nameList, nearest } from './nearest.ts';
import type { StaticScope } from './scope.ts';
import { memberOf } from './values.ts';

/** Words for what is being looked at: the response, or the item of a list. */
const THIS_ONE: ReadonlySet<string> = new Set(['this', 'it', 'self', 'answer', 'reply', 'item', 'current']);

const NUMBER_WORDS = 'zero one two three four five six seven eight nine ten'.split(' ');

/** What other programs call what is known of a response. */
const OTHER_NAMES: Readonly<Record<string, string>> = {
  statuscode: 'status',
  httpstatus: 'status',
  responsecode: 'status',
  contenttype: 'type',
  mimetype: 'type',
  mediatype: 'type',
  responsetime: 'elapsed',
  duration: 'elapsed',
  latency: 'elapsed',
  header: 'headers',
  responseheaders: 'headers',
  cookie: 'cookies',
  env: 'environment',
  stage: 'environment',
  responsebody: 'body',
};

/**
 * What to do about a name that nothing defines and that is like no other: it is a text without quotes where it is compared
 * with, and elsewhere a member of a loop's item or of the response.
 */
export function neitherNameNorNear(
  name: string,
  scope: StaticScope,
  { isCompared = false, isItem = false, item }: Pick<InferContext, 'isCompared' | 'isItem' | 'item'>,
): Remedy {
  const hasResponse = !('missing' in scope.response);
  if (THIS_ONE.has(name)) {
    if (isItem) return { hint: '@ is the item', replace: '@' };
    if (hasResponse) return { hint: '$ is the response', replace: '$' };
  }
  const figure = NUMBER_WORDS.indexOf(name.toLowerCase());
  if (figure >= 0) return { hint: `a number is written in figures: ${figure}`, replace: String(figure) };
  const other = memberOf(OTHER_NAMES, name.toLowerCase().replace(/_/g, ''));
  if (other !== undefined && scope.lookup(other)) return { hint: `the name is ${other}`, replace: other };
  if (!isItem && !isCompared && item !== undefined && mayHave(item, name))
    return { hint: `@.${name} is a member of the item`, replace: `@.${name}` };
  const names = scope.names();
  const inQuotes = `text needs quotes: '${name}'`;
  const owner = isItem || isCompared ? undefined : itemWith(name, scope);
  if (owner !== undefined) {
    const written = `${owner}.${name}`;
    return { hint: `${written} is a member of the item; ${inQuotes}`, replace: written };
  }
  if (!isCompared && !isItem && hasResponse)
    return { hint: `$.${name} is a member of the response; ${inQuotes}`, replace: `$.${name}` };
  const near = isCompared ? nearest(name, names) : undefined;
  if (near !== undefined) return { hint: `${inQuotes}; the nearest name is ${near}`, replace: `'${name}'` };
  const hint = names.length > 0 ? `names here: ${nameList(names)}; ${inQuotes}` : inQuotes;
  return isCompared || isItem ? { hint, replace: `'${name}'` } : hint;
}

/** Whether what is of a kind may have a member. */
function mayHave(kind: Kind, name: string): boolean {
  return mayBe(kind, BIT.object) && (kind.members === undefined || kind.members.has(name));
}

/** The item of the only loop that may have such a member; where there is a response, only that of a stream. */
function itemWith(name: string, scope: StaticScope): string | undefined {
  const hasResponse = !('missing' in scope.response);
  const having = scope.names().filter((one) => {
    const known = scope.lookup(one);
    return known?.item === true && (!hasResponse || known.given === true) && mayHave(known.kind, name);
  });
  return having.length === 1 ? having[0] : undefined;
}
