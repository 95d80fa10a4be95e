import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import type { Sealer } from '../core/ports.ts';
import { fail } from '../core/problems.ts';
import type { KeptTokens, Token } from './credentials/kept-tokens.ts';

const ALGORITHM = 'aes-256-gcm';
const NONCE = 12;
const TAG = 16;

/** What is locked for one project: secrets by name, tokens by what they are for. */
interface Locked {
  readonly version: 1;
  readonly secrets: Record<string, string>;
  readonly tokens: Record<string, string>;
}

/** The folder of this user's settings (XDG Base Directory Specification; on Windows APPDATA). */
function configurationFolder(variables: NodeJS.ProcessEnv): string {
  const base =
    process.platform === 'win32' && variables.APPDATA
      ? variables.APPDATA
      : (variables.XDG_CONFIG_HOME ?? join(variables.HOME ?? homedir(), '.config'));
  return join(base, 'batharon');
}

/**
 * Keeps secrets and tokens of a project sealed with AES-256-GCM, in `.batharon/locked.json` of its folder. The key is in the
 * user's configuration folder, readable by nobody else, so a copy of the project tells nothing.
 */
export class LockedStore implements Sealer {
  readonly #path: string;
  readonly #keyPath: string;
  #key: Buffer | undefined;

  /** `folder` is that of the project file. */
  constructor(folder: string, variables: NodeJS.ProcessEnv) {
    this.#path = join(folder, '.batharon', 'locked.json');
    this.#keyPath = join(configurationFolder(variables), 'key');
  }

  // ---- sealing

  /** The key; made when something is sealed for the first time. */
  #ownKey(make: boolean): Buffer | undefined {
    if (this.#key) return this.#key;
    if (!existsSync(this.#keyPath)) {
      if (!make) return undefined;
      mkdirSync(dirname(this.#keyPath), { recursive: true, mode: 0o700 });
      try {
        writeFileSync(this.#keyPath, `${randomBytes(32).toString('base64')}\n`, { mode: 0o600, flag: 'wx' });
      } catch (error) {
        // Another process may have made it meanwhile.
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST')
          fail('file-not-written', `the key ${this.#keyPath} can’t be written: ${(error as Error).message}`);
      }
    }
    const key = Buffer.from(readFileSync(this.#keyPath, 'utf8').trim(), 'base64');
    if (key.length !== 32)
      fail('locked-unreadable', `the file ${this.#keyPath} holds no key of 256 bits`, {
        instead: 'the file from a backup; without it what was locked is lost, and secret set stores it anew',
      });
    return (this.#key = key);
  }

  seal(text: string): string {
    return this.#seal(text, 'value');
  }

  /** The text of what was sealed as a value; nothing where it can't be opened. */
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
    if (!existsSync(this.#path)) return { version: 1, secrets: {}, tokens: {} };
    try {
      const read = JSON.parse(readFileSync(this.#path, 'utf8')) as Omit<Locked, 'version'> & {
        version: number;
      };
      if (read.version === 1) return { ...read, version: 1 };
    } catch {
      // said below
    }
    return fail(
      'locked-unreadable',
      `the file ${this.#path} is not one that this version of Batharon wrote`,
      {
        instead: 'the file taken away; secret set stores secrets anew',
      },
    );
  }

  #write(locked: Locked): void {
    const folder = dirname(this.#path);
    try {
      makeOwnFolder(folder);
      const temporary = `${this.#path}.${randomBytes(4).toString('hex')}`;
      writeFileSync(temporary, `${JSON.stringify(locked, undefined, 2)}\n`, { mode: 0o600 });
      renameSync(temporary, this.#path);
    } catch (error) {
      fail('file-not-written', `${this.#path} can’t be written: ${(error as Error).message}`);
    }
  }

  // ---- secrets

  names(): string[] {
    return Object.keys(this.#read().secrets).sort();
  }

  /** Throws `locked-unreadable` where it was sealed with another key. */
  secret(name: string): string | undefined {
    const { secrets } = this.#read();
    if (!Object.hasOwn(secrets, name)) return undefined;
    return (
      this.#open(secrets[name]!, `secret ${name}`) ??
      fail(
        'locked-unreadable',
        `the locked secret ${name} can’t be opened: it was sealed with another key than ${this.#keyPath}`,
        {
          instead: `batharon secret set ${name}`,
        },
      )
    );
  }

  setSecret(name: string, value: string): void {
    const locked = this.#read();
    this.#write({ ...locked, secrets: { ...locked.secrets, [name]: this.#seal(value, `secret ${name}`) } });
  }

  /** False where there was none. */
  removeSecret(name: string): boolean {
    const locked = this.#read();
    if (!Object.hasOwn(locked.secrets, name)) return false;
    const { [name]: _, ...rest } = locked.secrets;
    this.#write({ ...locked, secrets: rest });
    return true;
  }

  // ---- tokens

  readonly tokens: KeptTokens = {
    get: (key) => {
      const sealed = Object.hasOwn(this.#read().tokens, key) ? this.#read().tokens[key]! : undefined;
      const text = sealed === undefined ? undefined : this.#open(sealed, `token ${key}`);
      return text === undefined ? undefined : (JSON.parse(text) as Token);
    },
    set: (key, token) => {
      const locked = this.#read();
      this.#write({
        ...locked,
        tokens: { ...locked.tokens, [key]: this.#seal(JSON.stringify(token), `token ${key}`) },
      });
    },
    remove: (key) => {
      const locked = this.#read();
      const { [key]: _, ...rest } = locked.tokens;
      if (Object.hasOwn(locked.tokens, key)) this.#write({ ...locked, tokens: rest });
    },
  };
}

/** A folder for what the tool keeps of its own, which no version control takes up. */
export function makeOwnFolder(folder: string): void {
  if (!existsSync(folder)) mkdirSync(folder, { recursive: true, mode: 0o700 });
  const ignore = join(folder, '.gitignore');
  if (!existsSync(ignore)) writeFileSync(ignore, '*\n');
}
