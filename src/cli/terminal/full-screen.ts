import { emitKeypressEvents } from 'node:readline';
import pc from 'picocolors';
import { legible } from './terminal.ts';

/** What takes up the whole screen, and is moved through by keys. */
interface Screen {
  frame(width: number, height: number): string[];
  key(key: {
    readonly name?: string | undefined;
    readonly sequence?: string | undefined;
    readonly ctrl?: boolean | undefined;
  }): { readonly quit: true } | { readonly copy: string } | undefined;
}

/** A text that is longer is not copied: terminals refuse it. */
const MOST_COPIED = 100_000;

/** Whether there is a screen that can be taken, and somebody who presses keys. */
export function hasScreen(): boolean {
  const { env, stdin, stdout } = process;
  return stdin.isTTY && stdout.isTTY && env.TERM !== 'dumb';
}

/** The colours of the terminal; none where they are not wanted. */
export function screenColours(): ReturnType<typeof pc.createColors> {
  return pc.createColors(!process.env.NO_COLOR && !process.argv.includes('--no-color'));
}

/**
 * Shows a screen of its own until it says to quit; what was on the screen before comes back, whatever happens. What is copied goes
 * to the clipboard of the terminal (OSC 52, https://invisible-island.net/xterm/ctlseqs/ctlseqs.html).
 */
export async function onWholeScreen(screen: Screen): Promise<void> {
  const { stdin, stdout } = process;
  const draw = (): void => {
    const [width, height] = [stdout.columns || 80, stdout.rows || 24];
    // Of what a service said no character is obeyed.
    const lines = screen.frame(width, height).map((line) => `\u001b[2K${legible(line, true)}`);
    stdout.write(`\u001b[H${lines.join('\r\n')}\u001b[J`);
  };
  const leave = (): void => void stdout.write('\u001b[?25h\u001b[?1049l');
  stdout.write('\u001b[?1049h\u001b[?25l');
  process.once('exit', leave);
  emitKeypressEvents(stdin);
  stdin.setRawMode(true);
  stdin.resume();
  let onKey: ((_: string | undefined, key: Parameters<Screen['key']>[0]) => void) | undefined;
  try {
    draw();
    stdout.on('resize', draw);
    await new Promise<void>((resolve, reject) => {
      onKey = (_, key) => {
        try {
          const effect = screen.key(key);
          if (effect && 'quit' in effect) return resolve();
          if (effect && effect.copy.length <= MOST_COPIED)
            stdout.write(`\u001b]52;c;${Buffer.from(effect.copy).toString('base64')}\u0007`);
          draw();
        } catch (error) {
          reject(error instanceof Error ? error : new Error(String(error)));
        }
      };
      stdin.on('keypress', onKey);
      stdin.once('end', resolve);
    });
  } finally {
    if (onKey) stdin.off('keypress', onKey);
    stdout.off('resize', draw);
    stdin.setRawMode(false);
    stdin.pause();
    process.off('exit', leave);
    leave();
  }
}
