import type { CallStep, Expressions } from '../../chain/model.ts';
import { isObject, type Maybe, type Value } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import { responseNames } from '../wire/response-names.ts';
import type { RunContext } from '../scope/context.ts';
import type { CallResult } from '../wire/call-result.ts';
import { evaluateAll } from '../scope/evaluate.ts';

/**
 * What a step is about to keep as hidden is secret before anything is told of where it came. `names` are those that only this step
 * has. What can't be kept is said later.
 */
export function hideKept(
  context: RunContext,
  step: CallStep,
  response: Maybe,
  names: (name: string) => Maybe,
): void {
  for (const { name, value, hidden } of step.keep) {
    if (!hidden) continue;
    try {
      const kept = evaluateAll(value, context.environment(step, response, names));
      if (!context.hidden.hide(kept, `secret ${name}`)) hideMember(context, value);
      hideRelative(context, kept, `secret ${name}`);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
}

/** The names of a response, and what is gathered of pages as far as one of them tells. */
export function namesBeforeKeep(
  context: RunContext,
  step: CallStep,
  result: CallResult,
): (name: string) => Maybe {
  const names = responseNames(result);
  const { pages } = step;
  if (!pages) return names;
  let gathered: Maybe;
  try {
    const environment = context.environment(step, result.body.value, names);
    gathered = pages.items ? pages.items.expression.evaluate(environment) : result.body.value;
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
  }
  return (name) => (name === 'gathered' ? (Array.isArray(gathered) ? gathered : []) : names(name));
}

/** What is too short to be found is hidden by the name of its member. */
function hideMember({ hidden }: RunContext, value: Expressions): void {
  if (value.type !== 'expression') return;
  const { text } = value.value.expression;
  const member = /(?:\.([A-Za-z_]\w*)|\[['"]([^'"]+)['"]\])\s*\)?\s*$/.exec(text);
  const name = member?.[1] ?? member?.[2];
  if (name !== undefined) hidden.names.add(name);
}

/** An address may have come without its beginning (RFC 3986, section 4.2). */
function hideRelative(context: RunContext, value: Value, label: string): void {
  if (Array.isArray(value)) value.forEach((item) => hideRelative(context, item, label));
  else if (isObject(value)) Object.values(value).forEach((member) => hideRelative(context, member, label));
  else if (typeof value === 'string' && /^https?:/i.test(value) && URL.canParse(value)) {
    const { pathname, search, hash } = new URL(value);
    context.masker.addSpelling(pathname + search + hash, label);
    if (search !== '') context.masker.addSpelling(search, label);
  }
}
