import { randomBytes } from 'node:crypto';
import { lstatSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Ledger } from '../core/ports.ts';
import { ProblemError } from '../core/problems.ts';
import { makeOwnFolder, OWN_FOLDER, readRegularFile, whileLocked } from './secrets/own-folder.ts';

/** The file takes no more, in bytes. */
const LARGEST = 16 * 1024 * 1024;

interface Entry {
  /** When the period began, in milliseconds since 1970. */
  readonly began: number;
  readonly used: number;
}

/**
 * Counts calls in `.batharon/budgets.json`, which all runs of a project on this machine share. A change is made under a
 * lock and takes the place of the file in one move, so a process that is killed leaves a file that reads; at worst the
 * calls it had taken and not sent count as sent.
 */
export class BudgetLedger implements Ledger {
  readonly #folder: string;
  readonly #path: string;

  /** `folder` is that of the project file. */
  constructor(folder: string) {
    this.#folder = join(folder, OWN_FOLDER);
    this.#path = join(this.#folder, 'budgets.json');
  }

  take(budget: string, period: number, limit: number, calls: number): Promise<number> {
    return this.#change(budget, period, (used) => used + Math.max(0, Math.min(calls, limit - used)));
  }

  async giveBack(budget: string, period: number, calls: number): Promise<void> {
    await this.#change(budget, period, (used) => Math.max(0, used - calls));
  }

  used(budget: string, period: number): Promise<number> {
    return Promise.resolve(usedOf(this.#read(), budget, period));
  }

  /** Returns by how much the count has grown. */
  async #change(budget: string, period: number, change: (used: number) => number): Promise<number> {
    try {
      makeOwnFolder(this.#folder);
      return await whileLocked(this.#path, () => {
        const entries = this.#read();
        const before = usedOf(entries, budget, period);
        const used = change(before);
        this.#write({ ...entries, [`${budget} ${period}`]: { began: period, used } });
        return used - before;
      });
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      throw unreadable(`${this.#path} can't be written: ${(error as Error).message}`);
    }
  }

  #read(): Record<string, Entry> {
    if (!lstatSync(this.#path, { throwIfNoEntry: false })) return {};
    try {
      return (
        JSON.parse(readRegularFile(this.#path, LARGEST, false).toString('utf8')) as {
          budgets: Record<string, Entry>;
        }
      ).budgets;
    } catch (error) {
      throw unreadable(`${this.#path} can't be read: ${(error as Error).message}`);
    }
  }

  /** Periods that ended long ago are left out; where the clock jumps back, its period is still there. */
  #write(entries: Record<string, Entry>): void {
    const latest = Object.entries(entries)
      .sort(([, a], [, b]) => b.began - a.began)
      .slice(0, 200);
    const temporary = `${this.#path}.${randomBytes(4).toString('hex')}`;
    writeFileSync(temporary, JSON.stringify({ version: 1, budgets: Object.fromEntries(latest) }), {
      mode: 0o600,
    });
    renameSync(temporary, this.#path);
  }
}

function usedOf(entries: Readonly<Record<string, Entry>>, budget: string, period: number): number {
  return entries[`${budget} ${period}`]?.used ?? 0;
}

function unreadable(message: string): ProblemError {
  return new ProblemError({
    code: 'ledger-unreadable',
    message,
    hint: 'take the file away, if the calls that it counts do not matter',
  });
}
