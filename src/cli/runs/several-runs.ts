import type { Chain } from '../../core/chain/model.ts';
import type { RunResult } from '../../api/run-recorded.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { parseJson } from '../../core/language/json.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { RunFold } from '../../core/record/run-fold.ts';
import { type RunSummary, Summing } from '../../api/record-types.ts';
import { RunView } from '../view/run-view.ts';
import { type Terminal, writeData } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';

type CarryOut<P> = (planned: P, show: (event: RunEvent) => void) => Promise<RunResult | undefined>;

/** Runs of one command: one after the other as they happen, or side by side, each shown as a whole when it has ended. */
export class SeveralRuns {
  readonly exits: ExitCode[] = [];
  readonly results: [file: string, own: Value][] = [];
  /** The runs as their events told them, for reports; only where one is wanted. */
  readonly folds: RunFold[] = [];
  readonly #summaries: RunSummary[] = [];
  readonly #terminal: Terminal;
  readonly #json: boolean;
  readonly #together: boolean;
  readonly #folded: boolean;
  readonly #began = performance.now();
  #shown = 0;

  constructor(terminal: Terminal, json: boolean, together: boolean, folded: boolean) {
    this.#terminal = terminal;
    this.#folded = folded;
    this.#json = json;
    this.#together = together;
  }

  get hasFailed(): boolean {
    return this.exits.some((exit) => exit !== 0);
  }

  /** Carries out so many at once. `carryOut` gives nothing where a run is not to begin any more. */
  async carryOut<P extends { readonly chain: Chain }>(
    planned: readonly P[],
    jobs: number,
    carryOut: CarryOut<P>,
  ): Promise<void> {
    let next = 0;
    const under = new Set<string>();
    const lane = async (): Promise<void> => {
      for (let one = planned[next++]; one; one = planned[next++]) {
        under.add(one.chain.file);
        this.#progress(under);
        const more = await this.#one(one, carryOut);
        under.delete(one.chain.file);
        this.#progress(under);
        if (!more) return;
      }
    };
    await Promise.all(Array.from({ length: Math.min(jobs, planned.length) }, lane));
    this.#progress(new Set());
  }

  async #one<P extends { readonly chain: Chain }>(planned: P, carryOut: CarryOut<P>): Promise<boolean> {
    const fold = this.#folded ? new RunFold() : undefined;
    const summing = new Summing();
    let results: Readonly<Record<string, string>> = {};
    const kept: string[] = [];
    const terminal: Terminal = this.#together
      ? { ...this.#terminal, live: false, write: (text) => kept.push(text) }
      : this.#terminal;
    const view = new RunView(terminal);
    const lines: string[] = [];
    const result = await carryOut(planned, (event) => {
      fold?.take(event);
      summing.take(event);
      if (event.event === 'run-ended') ({ results } = event);
      if (this.#json) {
        const line = `${JSON.stringify(event)}\n`;
        if (this.#together) lines.push(line);
        else writeData(line);
        return;
      }
      if (event.event === 'run-began' && !this.#together) this.#apart();
      view.show(event);
    });
    if (!result) return false;
    if (this.#together) {
      this.#erase();
      if (!this.#json) this.#apart();
      this.#terminal.write(kept.join(''));
      writeData(lines.join(''));
    }
    this.exits.push(result.exit);
    if (fold) this.folds.push(fold);
    const summary = summing.summary(0);
    if (summary) this.#summaries.push(summary);
    const own = Object.entries(results);
    if (own.length > 0)
      this.results.push([planned.chain.file, objectOf(own.map(([name, json]) => [name, parseJson(json)]))]);
    return true;
  }

  #apart(): void {
    if (this.#shown++ > 0) this.#terminal.write('\n');
  }

  /** The chains under way, where several are. */
  #progress(under: ReadonlySet<string>): void {
    if (!this.#together || !this.#terminal.live) return;
    this.#erase();
    if (under.size > 0) this.#terminal.write(this.#terminal.colours.dim(`waits   ${[...under].join(', ')}`));
  }

  #erase(): void {
    if (this.#together && this.#terminal.live) this.#terminal.takeAway(1);
  }

  /** One line for all chains, and one for each that failed. */
  summary(planned: number): void {
    if (planned < 2 || this.#json) return;
    const { colours } = this.#terminal;
    const runs = this.#summaries;
    const passed = runs.filter(({ outcome }) => outcome === 'passed').length;
    const left = planned - runs.length;
    const words = [
      `${passed} of ${planned} chains passed`,
      ...(left > 0 ? [`${left} not begun`] : []),
      `${runs.reduce((sum, { calls }) => sum + calls, 0)} calls`,
      timeWords(performance.now() - this.#began),
    ].join(', ');
    this.#terminal.write(
      `\n${passed === planned ? colours.green(`passed. ${words}.`) : colours.red(`failed. ${words}.`)}\n`,
    );
    for (const { chain, file, outcome, run } of runs.filter((one) => one.outcome !== 'passed'))
      this.#terminal.write(`${outcome.padEnd(8)}${file}  ${chain}  ${colours.dim(`run ${run}`)}\n`);
  }
}
