import type { EachStep } from '../../chain/model.ts';
import { changingCalls, usedIn } from '../../chain/steps-of.ts';
import { asWritten } from '../../address.ts';
import type { EventOf, RunEvent } from '../../events.ts';
import { readTyped } from '../../language/typed-json.ts';
import type { Value } from '../../language/values.ts';
import type { WrittenRow } from '../../ports.ts';
import { fail } from '../../problems.ts';
import type { Past } from '../past-run.ts';
import type { RunContext } from '../scope/context.ts';
import type { Iterations } from './iterations.ts';
import { writeOrderedRow } from './ordered-row.ts';
import type { Block, BlockGiver, BlockName, Item, RowOrder, Spread } from '../spread.ts';

interface SpreadLoop {
  readonly step: EachStep;
  readonly atOnce: number;
}

/** Gives the iterations of a loop to other machines, block by block; those that had begun before the run was resumed are carried out here. */
export async function spreadIterations(
  iterations: Iterations,
  spread: Spread,
  context: RunContext,
  { step, atOnce }: SpreadLoop,
): Promise<void> {
  const { past } = context.options;
  const loop = context.address(step);
  const size = step.spread!;
  const names = namesFor(context, step);
  const underWay = new Set<Promise<void>>();
  const { signal } = context.interruption;
  const give = (first: number, items: readonly Item[]): void => {
    const block = {
      loop,
      first,
      items,
      names,
      atOnce,
      isAccepting: context.isAccepting,
      learned: learnedBy(context),
      cookies: context.ports.cookies.all?.() ?? [],
    };
    const giving = carryOut(iterations, spread, context, block)
      .catch((error: unknown) => iterations.fail(error))
      .finally(() => underWay.delete(giving));
    underWay.add(giving);
  };
  try {
    // Who is asked sits here.
    await context.guarding?.allowGiven(changingCalls(step.steps));
    let items: Item[] = [];
    let first = 0;
    const flush = async (): Promise<void> => {
      if (items.length === 0) return;
      while (underWay.size >= spread.width && !iterations.isOver && !signal.aborted)
        await roomIn(spread, underWay);
      if (!iterations.isOver && !signal.aborted) give(first, items);
      items = [];
    };
    while (!iterations.isOver && !signal.aborted) {
      const next = await iterations.next();
      if (!next) break;
      if (past?.iteration(loop, next.iteration)) {
        await flush();
        await iterations.one(next.iteration, next.item);
        continue;
      }
      if (items.length === 0) first = next.iteration;
      items.push(next.item);
      if (items.length >= size) await flush();
    }
    await flush();
  } catch (error) {
    iterations.fail(error);
  }
  if (iterations.isOver) spread.halt(loop);
  while (underWay.size > 0) {
    await Promise.race(underWay);
    if (iterations.isOver) spread.halt(loop);
  }
  iterations.end();
}

/** Waits until another block may be given. */
async function roomIn(spread: Spread, underWay: ReadonlySet<Promise<void>>): Promise<void> {
  let forget = (): void => undefined;
  const wider = new Promise<void>((resolve) => (forget = spread.whenWider(resolve)));
  await Promise.race([wider, ...underWay]);
  forget();
}

async function carryOut(
  iterations: Iterations,
  spread: Spread,
  context: RunContext,
  block: Block,
): Promise<void> {
  const giver = new Giver(context);
  // Whoever goes on with this run has to know all that the block was made of.
  await context.ports.record?.durable();
  const { done, exit, missing } = await spread.carryOut(block, giver);
  iterations.absorb(block.first, done, { exit, ...(missing ? { missing } : {}), booked: giver.booked });
}

/** Takes what one block tells, as if it had happened here. */
class Giver implements BlockGiver {
  readonly #context: RunContext;
  /** How many secrets were known when the block was given: what is learned from others since then is not masked in it. */
  readonly #known: number;
  /** What takes the block back. */
  readonly booked: { readonly step: string; readonly names: ReadonlyMap<string, Value> }[] = [];

  constructor(context: RunContext) {
    this.#context = context;
    this.#known = context.hidden.masker.added;
  }

  take(event: RunEvent): void {
    const context = this.#context;
    switch (event.event) {
      case 'request-sent':
        context.count(1);
        break;
      case 'learned':
        context.masker.addTold(this.#open(event.sealed), event.label);
        break;
      case 'cookies-set': {
        const { jar, url, fields, isNew } = JSON.parse(this.#open(event.sealed)) as Past['cookies'][number];
        if (isNew) context.ports.cookies.empty(jar);
        void context.ports.cookies.store(jar, url, fields);
        break;
      }
      case 'undo-booked':
        this.booked.push({ step: event.step, names: this.#valuesOf(event) });
        break;
      case 'warning': {
        const written = event.step === undefined ? undefined : asWritten(event.step);
        if (!context.log.isNewWarning(written, event.code, event.message)) return;
        break;
      }
      default:
    }
    if (context.hidden.masker.added === this.#known) context.log.passMasked(event);
    else context.log.pass(event);
  }

  #valuesOf({ names }: EventOf<'undo-booked'>): Map<string, Value> {
    return new Map(
      Object.entries(names).map(([name, { sealed, typed, value }]) => [
        name,
        readTyped(sealed === undefined ? (typed ?? value) : this.#open(sealed)),
      ]),
    );
  }

  #open(sealed: string): string {
    return (
      this.#context.ports.opener?.open(sealed) ??
      fail('defect', 'what a worker has sealed can not be opened here, with the same key')
    );
  }

  write(order: RowOrder): Promise<WrittenRow> {
    const { options, ports, log } = this.#context;
    return writeOrderedRow(order, {
      rows: ports.rows!,
      record: ports.record,
      past: options.past?.step(order.step)?.row,
      emit: (event) => log.emit(event),
    });
  }
}

/** The names that the iterations can use, as they are now. */
function namesFor(context: RunContext, step: EachStep): BlockName[] {
  const own = new Set(step.names);
  return [...usedIn([step])].flatMap((name): BlockName[] => {
    if (own.has(name)) return [];
    const { names } = context;
    const value = names.get(name);
    const origin = names.origin(name);
    const lost = names.firstLost([name]);
    if (value === undefined && !lost) return [];
    return [
      {
        name,
        ...(value === undefined ? {} : { value }),
        ...(origin === undefined ? {} : { origin }),
        ...(lost ? { lost: { step: lost.step, isAccepted: lost.isAccepted } } : {}),
      },
    ];
  });
}

/** What has become known as secret in the run; secrets of the project a worker has by itself. */
function learnedBy({ masker, secrets }: RunContext): Block['learned'] {
  const own = new Set(secrets.values());
  return [...masker.all()].filter(([, secret]) => !own.has(secret));
}
