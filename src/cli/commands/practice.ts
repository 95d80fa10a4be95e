import type { ExitCode } from '../../core/events.ts';
import { startPractice } from '../../practice/service.ts';
import { PRACTICE_VARIABLES } from '../../practice/state.ts';
import { onInterruption } from '../terminal/signals.ts';
import { errorTerminal } from '../terminal/terminal.ts';

const DEFAULT_PORT = 4717;

/** `batharon practice`: runs the service until it is interrupted. */
export async function practice(options: {
  port?: string;
  speed: string;
  rate: string;
  drift?: boolean;
}): Promise<ExitCode> {
  const terminal = errorTerminal();
  const numbers = { port: options.port ?? String(DEFAULT_PORT), speed: options.speed, rate: options.rate };
  for (const [name, text] of Object.entries(numbers)) {
    const number = Number(text);
    const good =
      name === 'port'
        ? Number.isInteger(number) && number >= 0 && number < 65_536
        : number > 0 && Number.isFinite(number);
    if (!good) {
      terminal.write(
        `--${name} ${text} is not ${name === 'port' ? 'a port (0 to 65535)' : 'a number above 0'}\n`,
      );
      return 2;
    }
  }
  const settings = {
    speed: Number(numbers.speed),
    rate: Number(numbers.rate),
    drift: options.drift === true,
  };
  const service = await listen(Number(numbers.port), options.port === undefined, settings);
  if (!service) {
    terminal.write(`port ${numbers.port} is taken; --port 0 takes a free one\n`);
    return 2;
  }
  const { colours } = terminal;
  const origin = new URL(service.url).origin;
  terminal.write(
    `${colours.bold('Emberfold Kilns')}, the practice service, listens at ${colours.bold(service.url)}\n\n`,
  );
  terminal.write(`  ${origin}/              what it offers, and what can go wrong\n`);
  terminal.write(`  ${origin}/openapi.json  its description\n`);
  terminal.write(`  ${origin}/ledger        what it has received\n\nIts keys are made up:\n`);
  for (const [name, value] of Object.entries(PRACTICE_VARIABLES))
    terminal.write(`  export ${name}=${value}\n`);
  terminal.write('\nCtrl-C ends it.\n');
  const interruption = onInterruption('the service was ended');
  await new Promise((resolve) => interruption.signal.addEventListener('abort', resolve, { once: true }));
  interruption.stop();
  await service.close();
  return 0;
}

async function listen(
  port: number,
  elsewhere: boolean,
  settings: { speed: number; rate: number; drift: boolean },
): Promise<Awaited<ReturnType<typeof startPractice>> | undefined> {
  try {
    return await startPractice({ port, ...settings });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EADDRINUSE') throw error;
    return elsewhere ? startPractice({ ...settings }) : undefined;
  }
}
