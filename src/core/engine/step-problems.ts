import type { CallStep, Step } from '../chain/model.ts';
import { shorten, visible } from '../language/show.ts';
import { isObject, memberOf } from '../language/values.ts';
import type { CallResult } from './exchange.ts';
import type { RunContext } from './context.ts';
import { describeText } from './read-answer.ts';

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

/** What to do about an answer of 401. */
export function refusedAdvice(step: CallStep, { project }: RunContext): string {
  const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
  const name = step.as ?? service?.as;
  if (name === undefined || name === 'nobody')
    return 'the request carried no credential: as: on the call or its service names one';
  return `the service did not accept the credential ${name} (${project.credentials.get(name)!.kind})`;
}

/** The names that a step uses, those of steps inside it left out: they are asked for when it is their turn. */
export function usedNames(step: Step): ReadonlySet<string> {
  let used = usedBy.get(step);
  if (!used) {
    const own = new Set(step.keep.map(({ name }) => name));
    used = new Set([...step.uses].filter((name) => !own.has(name)));
    usedBy.set(step, used);
  }
  return used;
}

const usedBy = new WeakMap<Step, ReadonlySet<string>>();
