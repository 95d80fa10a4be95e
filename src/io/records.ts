import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Recorded, recordSchema } from './record-schema.ts';
import { makeOwnFolder } from './locked-store.ts';

/** The records of a project, the last of each chain, in `.batharon/last`. */
export class Records {
  readonly #folder: string;
  readonly #own: string;

  /** `folder` is that of the project file. */
  constructor(folder: string) {
    this.#own = join(folder, '.batharon');
    this.#folder = join(this.#own, 'last');
  }

  /** Gives why it could not be written; a record is no reason for a run to fail. */
  write(record: Recorded): string | undefined {
    try {
      makeOwnFolder(this.#own);
      mkdirSync(this.#folder, { recursive: true });
      const path = join(this.#folder, `${slug(record.file)}.json`);
      const temporary = `${path}.${randomBytes(4).toString('hex')}`;
      writeFileSync(temporary, JSON.stringify(record), { mode: 0o600 });
      renameSync(temporary, path);
      return undefined;
    } catch (error) {
      return (error as Error).message;
    }
  }

  /** All records, the latest first. What can't be read is left out. */
  all(): Recorded[] {
    if (!existsSync(this.#folder)) return [];
    return readdirSync(this.#folder)
      .filter((name) => name.endsWith('.json'))
      .flatMap((name) => {
        try {
          return [recordSchema().parse(JSON.parse(readFileSync(join(this.#folder, name), 'utf8')))];
        } catch {
          return [];
        }
      })
      .sort((a, b) => b.at - a.at);
  }

  /** `last`, the id of a run, or the start of one. */
  find(run: string): Recorded | undefined {
    return this.all().find((record) => run === 'last' || record.run.startsWith(run));
  }

  /** The last record of a chain file. */
  ofChain(file: string): Recorded | undefined {
    return this.all().find((record) => record.file === file);
  }
}

function slug(file: string): string {
  return file.replace(/\.chain\.yaml$/, '').replace(/[^A-Za-z0-9]+/g, '-') || 'send';
}
