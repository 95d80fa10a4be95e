import type { Person } from '../../api/open-world.ts';
import { mayAsk } from './ask-question.ts';
import { hold, writeTo } from './standard-streams.ts';
import { legible } from './terminal.ts';

/** The person at the terminal: told on standard error, asked on the terminal. */
export const terminalPerson: Person = {
  tell: (text) => writeTo(2, legible(`\n${text}\n\n`)),
  open: (url) => {
    const { env, platform } = process;
    const desktop = platform === 'darwin' || platform === 'win32' || env.DISPLAY || env.WAYLAND_DISPLAY;
    if (!desktop || !process.stderr.isTTY || !/^https?:\/\//.test(url)) return;
    const [program, ...words] =
      platform === 'darwin'
        ? ['open']
        : platform === 'win32'
          ? ['rundll32', 'url.dll,FileProtocolHandler']
          : ['xdg-open'];
    void import('node:child_process').then(({ spawn }) => {
      const child = spawn(program, [...words, url], { stdio: 'ignore', detached: true });
      // The address stands on the screen, so nothing is lost where no browser comes up.
      child.on('error', () => undefined);
      child.unref();
    });
  },
};

/** Asks for a text that is not shown while it is typed; undefined if there is no terminal. */
export async function askHidden(question: string): Promise<string | undefined> {
  const { stdin, stderr } = process;
  if (!mayAsk()) return undefined;
  const release = hold(2);
  stderr.write(question);
  stdin.setRawMode(true);
  stdin.setEncoding('utf8');
  stdin.resume();
  let typed = '';
  try {
    return await new Promise<string | undefined>((resolve) => {
      stdin.on('data', (data: string) => {
        for (const char of data) {
          if (char === '\r' || char === '\n' || char === '\u0004') return resolve(typed);
          if (char === '\u0003') {
            stderr.write('\n');
            process.exit(130);
          }
          if (char === '\u007f' || char === '\b') typed = typed.slice(0, -1);
          else if (char >= ' ') typed += char;
        }
        return undefined;
      });
    });
  } finally {
    stdin.removeAllListeners('data');
    stdin.setRawMode(false);
    stdin.pause();
    stderr.write('\n');
    release();
  }
}

/** Asks a question; undefined if there is no terminal. Only "yes" is one. */
export async function askYesNo(question: string): Promise<boolean | undefined> {
  const response = await askText(question);
  return response === undefined ? undefined : /^y(?:es)?$/i.test(response);
}

/** Asks for a text that is shown while it is typed; undefined if there is no terminal. */
export async function askText(question: string): Promise<string | undefined> {
  const { stdin, stderr } = process;
  if (!mayAsk()) return undefined;
  const { createInterface } = await import('node:readline/promises');
  const release = hold(2);
  const lines = createInterface({ input: stdin, output: stderr });
  try {
    return (await lines.question(legible(`\n${question}`))).trim();
  } finally {
    lines.close();
    release();
  }
}
