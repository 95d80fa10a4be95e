import type { Answer, Question } from '../../core/ports.ts';
import { hold } from './standard-streams.ts';
import { legible } from './terminal.ts';

/** Whether a person can be asked: at a terminal, not in a build server, and not with --no-ask. */
export function mayAsk(): boolean {
  const { env, stdin, stderr } = process;
  const isBuildServer = env.CI !== undefined && !/^(?:|0|false)$/i.test(env.CI);
  return stdin.isTTY && stderr.isTTY && !isBuildServer && env.BATHARON_NO_ASK !== '1';
}

/**
 * Asks a question at the terminal until the answer will do; undefined where nobody can be asked, or once `signal` is aborted. What
 * else is written meanwhile comes after it.
 */
export async function askQuestion(question: Question, signal: AbortSignal): Promise<Answer | undefined> {
  if (!mayAsk() || signal.aborted) return undefined;
  const prompts = await import('@inquirer/prompts');
  const release = hold(2);
  try {
    return await promptFor(prompts, question, { signal, output: process.stderr });
  } catch (error) {
    const { name } = error as Error;
    if (name !== 'ExitPromptError' && name !== 'AbortPromptError') throw error;
    // In a prompt Ctrl-C is a key; it interrupts the run all the same.
    if (!isAborted(signal)) {
      const aborted = new Promise<void>((resolve) => signal.addEventListener('abort', () => resolve()));
      // The signal comes a moment later, and until then nothing else may keep the program.
      const alive = setInterval(() => undefined, 1000);
      process.kill(process.pid, 'SIGINT');
      await aborted;
      clearInterval(alive);
    }
    return undefined;
  } finally {
    release();
  }
}

/** Asked anew each time: a check above does not hold for ever. */
function isAborted({ aborted }: AbortSignal): boolean {
  return aborted;
}

type Prompts = typeof import('@inquirer/prompts');

async function promptFor(
  { input, password }: Prompts,
  question: Question,
  context: { readonly signal: AbortSignal; readonly output: NodeJS.WriteStream },
): Promise<Answer> {
  const message = legible(question.text);
  const { choices, default: usual, kind } = question;
  const wrong = (answer: Answer): string | undefined => {
    const problem = question.check(answer);
    return problem === undefined ? undefined : legible(problem);
  };
  if (choices) {
    const { choose } = await import('./choose.ts');
    const all = choices.map((label, value) => ({ name: legible(label), value }));
    // What is chosen by the return key alone stands first.
    const sorted =
      typeof usual === 'number' ? [all[usual]!, ...all.slice(0, usual), ...all.slice(usual + 1)] : all;
    return choose({ message, choices: sorted, check: wrong }, context);
  }
  if (kind === 'secret') return password({ message, validate: (text) => wrong(text) ?? true }, context);
  if (kind === 'yes-no') {
    // Without a default the return key alone says nothing.
    const text = await input(
      {
        message: `${message} (yes or no)`,
        ...(typeof usual === 'boolean' ? { default: usual ? 'yes' : 'no' } : {}),
        validate: (typed) => {
          const answer = yesOrNo(typed);
          return answer === undefined ? 'yes or no' : (wrong(answer) ?? true);
        },
      },
      context,
    );
    return yesOrNo(text) ?? false;
  }
  // A default may come from a service: it is shown, not obeyed, and meant as it is.
  const shown = typeof usual === 'string' ? legible(usual) : undefined;
  const meant = (text: string): string => (text === shown && typeof usual === 'string' ? usual : text);
  const text = await input(
    {
      message,
      ...(shown === undefined ? {} : { default: shown }),
      validate: (typed) => wrong(meant(typed)) ?? true,
    },
    context,
  );
  return meant(text);
}

function yesOrNo(text: string): boolean | undefined {
  const word = text.trim().toLowerCase();
  return /^(?:y|yes|true)$/.test(word) ? true : /^(?:n|no|false)$/.test(word) ? false : undefined;
}
