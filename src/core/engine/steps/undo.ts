import { type Chain, type Step, stepsIn } from '../../chain/model.ts';
import { findInChain, usedIn } from '../../chain/steps-of.ts';
import type { RunContext } from '../scope/context.ts';
import type { LeftOver } from '../scope/run-options.ts';
import { Names } from '../scope/names.ts';
import { type RecordedValue, recordedValue } from '../scope/recorded-value.ts';
import { usedNames } from '../scope/used-names.ts';

/** Carries out one step, or says why it is skipped. */
interface Carrier {
  step(context: RunContext, step: Step): Promise<unknown>;
  skip(context: RunContext, step: Step, reason: string): void;
}

interface Booked {
  readonly context: RunContext;
  readonly step: Step;
}

/** What takes back what a run did: undo steps, booked when their step has passed, and the cleanup of its chains. */
export class Undo {
  readonly #booked: Booked[] = [];
  /** Steps whose undo was booked before the run was resumed. */
  readonly #before = new Set<string>();
  /** What could not be carried out: steps whose undo failed, and how many steps of cleanup. */
  readonly #failed = { undo: 0, cleanup: 0 };
  readonly #cleanups: { readonly context: RunContext; readonly chain: Chain }[] = [];

  /** Books the undo of a step, with its names as they are now. */
  book(context: RunContext, step: Step): void {
    const address = context.address(step);
    // A step that has been carried out again is taken back once.
    const again = this.#booked.findIndex(
      (one) => this.#before.has(address) && one.context.address(one.step) === address,
    );
    if (again >= 0) this.#booked.splice(again, 1);
    const names = context.names.snapshot(usedIn(step.undo));
    this.#booked.push({ context: context.withNames(names, false), step });
    context.emit({ event: 'undo-booked', step: context.address(step), names: sealedNames(context, names) });
  }

  /** Books what an earlier run has left. Returns the addresses of steps that the chain no longer has. */
  bookLeft(context: RunContext, { undo, names }: LeftOver): string[] {
    for (const [name, value] of names) context.names.set(name, value);
    this.bookCleanup(context, context.chain);
    return this.bookPast(context, undo);
  }

  /** Books undo that an earlier part of the run had booked. Returns the addresses of steps that the chain no longer has. */
  bookPast(context: RunContext, undo: LeftOver['undo']): string[] {
    return undo.flatMap(({ step: address, names: own }) => {
      const found = findInChain(context.chain, address);
      if (!found || found.step.undo.length === 0) return [address];
      const booked = new Names();
      for (const [name, value] of own) booked.set(name, value);
      this.#booked.push({
        context: context.resumedAt(found.chain, found.step, address, booked),
        step: found.step,
      });
      this.#before.add(address);
      return [];
    });
  }

  bookCleanup(context: RunContext, chain: Chain): void {
    if (chain.cleanup.length === 0) return;
    // What is not cleaned up is a failure, wherever it stands.
    const at = context.isAccepting ? context.withNames(context.names, false) : context;
    this.#cleanups.push({ context: at, chain });
  }

  /** Undo, last booked first; then the cleanup of each chain, that of the run itself last. Nothing ends it early. */
  async carryOut(runner: Carrier): Promise<void> {
    const [first] = [...this.#booked, ...this.#cleanups];
    if (!first) return;
    first.context.ignoreInterruption();
    if (this.#booked.length > 0) {
      first.context.emit({ event: 'undo-began', steps: this.#booked.length });
      for (const { context, step } of this.#booked.reverse()) {
        let failed = false;
        for (const one of step.undo) failed = Boolean(await runner.step(context, one)) || failed;
        if (failed) this.#failed.undo++;
      }
    }
    for (const { context, chain } of this.#cleanups.reverse())
      this.#failed.cleanup += await cleanUp(runner, context, chain);
    // What could not be taken back stays booked.
    if (this.#failed.undo + this.#failed.cleanup > 0)
      this.#leave(first.context, this.#failed.undo, this.#failed.cleanup);
  }

  /** What was left to be undone, for the events of a run that is told to leave it. */
  leave(context: RunContext): void {
    const cleanup = this.#cleanups.reduce((sum, { chain }) => sum + chain.cleanup.length, 0);
    if (this.#booked.length + cleanup > 0) this.#leave(context, this.#booked.length, cleanup);
  }

  #leave(context: RunContext, undo: number, cleanup: number): void {
    const own = this.#cleanups.find((one) => one.context.chain === context.chain)?.context ?? context;
    const used = own.names.snapshot(usedIn(own.chain.cleanup));
    context.emit({ event: 'undo-left', undo, cleanup, names: sealedNames(context, used) });
  }
}

/** A step that needs a name which was never kept is skipped. Returns how many steps failed. */
async function cleanUp(runner: Carrier, context: RunContext, { cleanup, steps }: Chain): Promise<number> {
  let failed = 0;
  context.emit({ event: 'cleanup-began', steps: cleanup.length });
  context.names.recall();
  const defined = new Set(
    cleanup.flatMap(({ keep, name }) => [
      ...keep.map((one) => one.name),
      ...(name === undefined ? [] : [name]),
    ]),
  );
  for (const step of cleanup) {
    const missing = [...usedNames(step)].find(
      (name) => !context.names.has(name) && !defined.has(name) && keptSomewhere(steps, name),
    );
    if (missing !== undefined) runner.skip(context, step, `${missing} was never kept`);
    else if (await runner.step(context, step)) failed++;
  }
  return failed;
}

function keptSomewhere(steps: readonly Step[], name: string): boolean {
  return steps.some(
    (step) =>
      step.name === name ||
      step.keep.some((kept) => kept.name === name) ||
      (step.type === 'each' && step.gather.some((gathered) => gathered.name === name)) ||
      (step.type === 'repeat' && step.start.some((first) => first.name === name)) ||
      (step.type !== 'follow' && keptSomewhere(stepsIn(step), name)),
  );
}

function sealedNames(context: RunContext, names: Names): Record<string, RecordedValue> {
  return Object.fromEntries(
    [...names.entries()].map(([name, value]) => [name, recordedValue(context, value)]),
  );
}
