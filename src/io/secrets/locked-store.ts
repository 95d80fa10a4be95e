import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import {
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import type { Sealer } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import type { KeptTokens, KeptToken } from '../credentials/kept-tokens.ts';
import {
  configurationFolder,
  makeOwnFolder,
  OWN_FOLDER,
  readRegularFile,
  whileLocked,
} from './own-folder.ts';
import { reasonOf } from '../reason.ts';

const ALGORITHM = 'aes-256-gcm';
const NONCE = 12;
const TAG = 16;
/** What is locked takes no more, in bytes. */
const LARGEST = 16 * 1024 * 1024;

/** What is locked for one project: secrets by name, tokens by what they are for. */
interface Locked {
  readonly version: 1;
  readonly secrets: Record<string, string>;
  readonly tokens: Record<string, string>;
}

const NOTHING: Locked = { version: 1, secrets: {}, tokens: {} };

/**
 * Keeps secrets and tokens of a project sealed with AES-256-GCM, in `.batharon/locked.json` of its folder. The key is in the
 * user's configuration folder, readable by nobody else, so a copy of the project tells nothing. Where the key can't be kept, one of
 * this process takes its place, and tokens are kept in memory.
 */
export class LockedStore implements Sealer {
  readonly #path: string;
  readonly #keyPath: string;
  readonly #warn: (message: string) => void;
  #key: Buffer | undefined;
  /** Why the key is not kept. */
  #notKept: string | undefined;
  readonly #inMemory = new Map<string, KeptToken>();

  /** `folder` is that of the project file; `warn` is told once where nothing can be kept. */
  constructor(
    folder: string,
    variables: NodeJS.ProcessEnv,
    warn: (message: string) => void = () => undefined,
  ) {
    this.#path = join(folder, OWN_FOLDER, 'locked.json');
    this.#keyPath = join(configurationFolder(variables), 'key');
    this.#warn = warn;
  }

  // ---- sealing

  /** The key; made when something is sealed for the first time. */
  #ownKey(make: boolean): Buffer | undefined {
    if (this.#key) return this.#key;
    try {
      if (!existsSync(this.#keyPath)) {
        if (!make) return undefined;
        this.#makeKey();
      }
      return (this.#key = this.#readKey());
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      if (!make) return undefined;
      this.#notKept = reasonOf(error as Error);
      this.#warn(
        `the key ${this.#keyPath} can't be kept (${this.#notKept}): what is secret is kept in memory only, so resume can't take it from this run`,
      );
      return (this.#key = randomBytes(32));
    }
  }

  #makeKey(): void {
    mkdirSync(dirname(this.#keyPath), { recursive: true, mode: 0o700 });
    // Written under another name first: a process that is killed leaves no half of a key.
    const temporary = `${this.#keyPath}.${randomBytes(4).toString('hex')}`;
    writeFileSync(temporary, `${randomBytes(32).toString('base64')}\n`, { mode: 0o600, flag: 'wx' });
    // Another process may have made it meanwhile: what is there is taken.
    try {
      linkSync(temporary, this.#keyPath);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    } finally {
      rmSync(temporary, { force: true });
    }
  }

  #readKey(): Buffer {
    const key = Buffer.from(readFileSync(this.#keyPath, 'utf8').trim(), 'base64');
    if (key.length !== 32)
      fail('locked-unreadable', `the file ${this.#keyPath} holds no key of 256 bits`, {
        hint: 'the file from a backup; without it what was locked is lost, and secret set stores it anew',
      });
    return key;
  }

  seal(text: string): string {
    return this.#seal(text, 'value');
  }

  /** The text of what was sealed as a value; undefined if it can't be opened. */
  open(sealed: string): string | undefined {
    return this.#open(sealed, 'value');
  }

  /** `purpose` is bound to the text, so that one sealed text can't stand for another. */
  #seal(text: string, purpose: string): string {
    const nonce = randomBytes(NONCE);
    const cipher = createCipheriv(ALGORITHM, this.#ownKey(true)!, nonce).setAAD(Buffer.from(purpose));
    const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
    return Buffer.concat([nonce, sealed, cipher.getAuthTag()]).toString('base64');
  }

  #open(sealed: string, purpose: string): string | undefined {
    const key = this.#ownKey(false);
    const data = Buffer.from(sealed, 'base64');
    if (!key || data.length < NONCE + TAG) return undefined;
    try {
      const decipher = createDecipheriv(ALGORITHM, key, data.subarray(0, NONCE))
        .setAAD(Buffer.from(purpose))
        .setAuthTag(data.subarray(data.length - TAG));
      return Buffer.concat([
        decipher.update(data.subarray(NONCE, data.length - TAG)),
        decipher.final(),
      ]).toString('utf8');
    } catch {
      return undefined;
    }
  }

  // ---- the file

  #read(): Locked {
    if (!lstatSync(this.#path, { throwIfNoEntry: false })) return NOTHING;
    try {
      const read = JSON.parse(readRegularFile(this.#path, LARGEST, false).toString('utf8')) as Omit<
        Locked,
        'version'
      > & { version: number };
      if (read.version === 1 && areTexts(read.secrets) && areTexts(read.tokens))
        return { ...read, version: 1 };
    } catch {
      // said below
    }
    return fail(
      'locked-unreadable',
      `the file ${this.#path} is not one that this version of Batharon wrote`,
      {
        hint: 'the file taken away; secret set stores secrets anew',
      },
    );
  }

  /** Changes the file as it is now: no other process changes it meanwhile. Throws `file-not-written`. */
  async #change(change: (locked: Locked) => Locked | undefined): Promise<void> {
    try {
      makeOwnFolder(dirname(this.#path));
      await whileLocked(this.#path, () => {
        const changed = change(this.#read());
        if (!changed) return;
        const temporary = `${this.#path}.${randomBytes(4).toString('hex')}`;
        writeFileSync(temporary, `${JSON.stringify(changed, undefined, 2)}\n`, { mode: 0o600, flag: 'wx' });
        renameSync(temporary, this.#path);
      });
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      fail('file-not-written', `${this.#path} can't be written: ${reasonOf(error as Error)}`);
    }
  }

  // ---- secrets

  /** What is locked: names, and for which environment where it is for one only. */
  stored(): { readonly name: string; readonly environment?: string }[] {
    return Object.keys(this.#read().secrets)
      .sort()
      .map((key) => {
        const [name = '', environment] = key.split('@');
        return { name, ...(environment === undefined ? {} : { environment }) };
      });
  }

  /** The secret of one environment, or the one for all. Throws `locked-unreadable` where it was sealed with another key. */
  secret(name: string, environment?: string): string | undefined {
    const { secrets } = this.#read();
    const key = keyOf(name, environment);
    if (!Object.hasOwn(secrets, key)) return undefined;
    return (
      this.#open(secrets[key]!, `secret ${key}`) ??
      fail(
        'locked-unreadable',
        `the locked secret ${name} can't be opened: it was sealed with another key than ${this.#keyPath}`,
        {
          hint: `batharon secret set ${name}`,
        },
      )
    );
  }

  /** True where it took the place of another. Throws `file-not-written`, also where the key can't be kept: nobody could open it any more. */
  async setSecret(name: string, value: string, environment?: string): Promise<boolean> {
    const key = keyOf(name, environment);
    const sealed = this.#seal(value, `secret ${key}`);
    if (this.#notKept !== undefined)
      fail('file-not-written', `the key ${this.#keyPath} can't be kept: ${this.#notKept}`, {
        hint: `XDG_CONFIG_HOME=FOLDER batharon secret set ${name}, with a folder that this user may write; or ${name}: env NAME in batharon.yaml`,
      });
    let replaced = false;
    await this.#change((locked) => {
      replaced = Object.hasOwn(locked.secrets, key);
      return { ...locked, secrets: { ...locked.secrets, [key]: sealed } };
    });
    return replaced;
  }

  /** False where there was none. */
  async removeSecret(name: string, environment?: string): Promise<boolean> {
    const key = keyOf(name, environment);
    if (!Object.hasOwn(this.#read().secrets, key)) return false;
    await this.#change((locked) => {
      const { [key]: _, ...rest } = locked.secrets;
      return { ...locked, secrets: rest };
    });
    return true;
  }

  // ---- tokens

  readonly tokens: KeptTokens = {
    get: (key) => {
      const inMemory = this.#inMemory.get(key);
      if (inMemory) return inMemory;
      const { tokens } = this.#read();
      const sealed = Object.hasOwn(tokens, key) ? tokens[key]! : undefined;
      const text = sealed === undefined ? undefined : this.#open(sealed, `token ${key}`);
      return text === undefined ? undefined : (JSON.parse(text) as KeptToken);
    },
    set: async (key, token) => {
      const sealed = this.#seal(JSON.stringify(token), `token ${key}`);
      try {
        if (this.#notKept !== undefined) throw new Error(this.#notKept);
        await this.#change((locked) => ({ ...locked, tokens: { ...locked.tokens, [key]: sealed } }));
        this.#inMemory.delete(key);
      } catch (error) {
        this.#inMemory.set(key, token);
        this.#warn(`a token is kept in memory only: ${(error as Error).message}`);
      }
    },
    remove: async (key) => {
      this.#inMemory.delete(key);
      if (!Object.hasOwn(this.#read().tokens, key)) return;
      await this.#change((locked) => {
        const { [key]: _, ...rest } = locked.tokens;
        return { ...locked, tokens: rest };
      });
    },
    alone: async (key, work) => {
      try {
        makeOwnFolder(dirname(this.#path));
      } catch {
        return work();
      }
      const name = key.replace(/[^A-Za-z0-9]+/g, '-');
      return whileLocked(join(dirname(this.#path), `token-${name}`), work);
    },
  };
}

/** A name is letters, digits and _, so that the sign between tells both apart. */
function keyOf(name: string, environment: string | undefined): string {
  return environment === undefined ? name : `${name}@${environment}`;
}

function areTexts(value: unknown): value is Record<string, string> {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    Object.values(value).every((one) => typeof one === 'string')
  );
}
