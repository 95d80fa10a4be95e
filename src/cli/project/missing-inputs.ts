import { existsSync } from 'node:fs';
import { readInput } from '../../core/chain/fields/input-values.ts';
import type { Chain, Input } from '../../core/chain/model.ts';
import { questionsOf } from '../../core/chain/steps-of.ts';
import type { Environment } from '../../core/language/environment.ts';
import type { Value } from '../../core/language/values.ts';
import type { Answer } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { askQuestion, mayAsk } from '../terminal/ask-question.ts';
import type { Given } from './given-inputs.ts';

/** What was given for the questions of a chain, by the names of their steps. */
export function answersIn(chain: Pick<Chain, 'steps'>, given: Given): ReadonlyMap<string, string> {
  const names = new Set(questionsOf(chain).map(({ name }) => name));
  return new Map(
    [...given].flatMap(([name, value]) =>
      names.has(name) && typeof value === 'string' ? [[name, value.replace(/\r?\n$/, '')] as const] : [],
    ),
  );
}

/**
 * What was given, and what a person answers for inputs that have no value: secrets without being shown, choices from a list.
 * The same as given where nobody can be asked. Throws `interrupted` where the person ends it.
 */
export async function withAnswers(chains: readonly Chain[], given: Given, zone: string): Promise<Given> {
  if (!mayAsk()) return given;
  const inputs = chains.flatMap((chain) => chain.inputs);
  const missing = inputs.filter((input, i) => {
    const isFirst = inputs.findIndex(({ name }) => name === input.name) === i;
    return isFirst && input.default === undefined && !given.has(input.name) && !given.files.has(input.name);
  });
  if (missing.length === 0) return given;
  const all = given.only(() => true);
  const ended = new AbortController();
  const onSignal = (): void => ended.abort();
  process.on('SIGINT', onSignal);
  try {
    for (const input of missing) {
      const answer = await askQuestion(
        {
          text: input.about === undefined ? input.name : `${input.name} (${input.about})`,
          kind: kindOf(input),
          ...(input.choices ? { choices: input.choices } : {}),
          check: (one) => whatIsWrong(input, textOf(input, one), all, zone),
        },
        ended.signal,
      );
      if (answer === undefined)
        throw new ProblemError({ code: 'interrupted', message: `${input.name} was not answered` });
      all.set(input.name, textOf(input, answer));
    }
  } finally {
    process.off('SIGINT', onSignal);
  }
  return all;
}

function kindOf({ kind }: Input): 'text' | 'number' | 'yes-no' | 'choice' | 'secret' {
  return kind === 'date' || kind === 'json' || kind === 'rows' ? 'text' : kind;
}

function textOf({ choices }: Input, answer: Answer): string {
  if (choices && typeof answer === 'number') return choices[answer] ?? '';
  return typeof answer === 'boolean' ? (answer ? 'yes' : 'no') : String(answer);
}

function whatIsWrong(
  { choices, kind, must, name }: Input,
  text: string,
  given: Given,
  zone: string,
): string | undefined {
  if (kind === 'rows') return existsSync(text) ? undefined : `there is no file ${text}`;
  const { problem, value } = readInput(kind, text, zone, choices);
  if (problem) return problem.hint === undefined ? problem.message : `${problem.message} (${problem.hint})`;
  if (!must) return undefined;
  try {
    return must.expression.test(environmentOf(new Map([...given, [name, value]]), zone)) === false
      ? `it must satisfy ${must.expression.text}`
      : undefined;
  } catch {
    // It speaks of what there is only in the run, which holds it to that.
    return undefined;
  }
}

/** What a condition can use before anything runs. */
function environmentOf(names: ReadonlyMap<string, Value | undefined>, zone: string): Environment {
  const none = (): never => {
    throw new Error('not here');
  };
  return {
    response: undefined,
    name: (name) => names.get(name),
    world: { now: () => Date.now(), chance: none, digest: none, hmac: none, zone },
    visited: 0,
  };
}
