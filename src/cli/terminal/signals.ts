import { ProblemError, problemOf } from '../../core/problems.ts';
import { defects } from './defects.ts';
import type { Terminal } from './terminal.ts';

/** Ctrl-C, a build server that ends a job, and a terminal that is closed or a connection to it that is lost. */
const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;

/** Aborts its signal at the first interruption, `why` being its reason; a second one ends the program at once. */
export function onInterruption(
  why: string,
  onFirst: () => void = () => undefined,
): { readonly signal: AbortSignal; stop(): void } {
  const controller = new AbortController();
  const onSignal = (): void => {
    if (controller.signal.aborted) process.exit(130);
    onFirst();
    controller.abort(new ProblemError({ code: 'interrupted', message: why }));
  };
  for (const signal of SIGNALS) process.on(signal, onSignal);
  // A defect that nobody waits for ends the run as an interruption does: what it made is taken back.
  const onDefect = (error: unknown): void => controller.abort(new ProblemError(problemOf(error)));
  defects.add(onDefect);
  return {
    signal: controller.signal,
    stop: () => {
      for (const signal of SIGNALS) process.off(signal, onSignal);
      defects.delete(onDefect);
    },
  };
}

/** The interruption of a run: the request under way ends, and then its cleanup is carried out. */
export function watchInterruption(terminal: Terminal): ReturnType<typeof onInterruption> {
  return onInterruption('the run was interrupted', () =>
    terminal.write('\ninterrupted; cleaning up (once more ends at once)\n'),
  );
}
