import { signature } from './functions/define.ts';
import { functions } from './functions/index.ts';
import type { InferContext, Remedy } from './inferring.ts';
import { ANY, BIT, type Kind, mayBe } from './kinds.ts';
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

/** Where other programs have the variables of the environment. */
const OF_THE_ENVIRONMENT: ReadonlySet<string> = new Set(['env', 'ENV', 'process', 'environ', 'os']);

/** Words that other languages have for what is written in small letters here. */
const OTHER_LITERALS: Readonly<Record<string, string>> = {
  True: 'true',
  False: 'false',
  None: 'null',
  Null: 'null',
  NULL: 'null',
  undefined: 'nothing',
  nil: 'null',
};

/** What responses often have, and nobody writes in place of `status`. */
const OFTEN_MEMBERS: ReadonlySet<string> = new Set(['state', 'stage', 'start', 'stats']);

/** What to do about a name that nothing defines. */
export function wayOfUnknown(name: string, scope: StaticScope, context: InferContext): Remedy {
  if ((OF_THE_ENVIRONMENT.has(name) && context.isOwner === true) || /^[A-Z][A-Z0-9]*_[A-Z0-9_]+$/.test(name))
    return 'a variable of the environment is a secret of the project: secrets: { token: env TOKEN } in batharon.yaml, and secret.token here';
  const names = scope.names();
  const same = names.find((one) => one.toLowerCase() === name.toLowerCase());
  if (same !== undefined) return { hint: `the nearest name is ${same}`, replace: same };
  const owner = ['services', 'secret'].find((one) => scope.lookup(one)?.kind.members?.has(name));
  if (owner !== undefined)
    return { hint: `${owner}.${name} is one of the project`, replace: `${owner}.${name}` };
  const literal = memberOf(OTHER_LITERALS, name);
  if (literal !== undefined) {
    const hint =
      literal === 'nothing'
        ? 'the word is nothing'
        : literal === 'null'
          ? 'null'
          : `${literal} is written in lower case here`;
    return { hint, replace: literal };
  }
  const called = functions.get(name);
  if (called) {
    const isBare = called.parameters.every(({ optional }) => optional);
    const size = name === 'length' && !('missing' in scope.response);
    return {
      hint: `${name} is a function: ${signature(called)}${size ? '; size is that of the response, in bytes' : ''}`,
      ...(isBare ? { replace: `${name}()` } : {}),
    };
  }
  // What has no members is not meant where one is asked for, and where there is an item, nothing of the response.
  const mayMean = (one: string): boolean => {
    const known = scope.lookup(one);
    if (context.item !== undefined && known?.given === true) return false;
    return context.isOwner !== true || mayBe(known?.kind ?? ANY, BIT.object | BIT.list);
  };
  const isMember = OFTEN_MEMBERS.has(name) && !('missing' in scope.response);
  const near = context.isCompared || isMember ? undefined : nearest(name, names.filter(mayMean));
  return near === undefined
    ? neitherNameNorNear(name, scope, context)
    : { hint: `the nearest name is ${near}`, replace: near };
}

/**
 * What to do about a name that nothing defines and that is like no other: it is a text without quotes where it is compared
 * with, and elsewhere a member of a loop's item or of the response.
 */
function neitherNameNorNear(
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
