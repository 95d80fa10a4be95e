import { resolve } from 'node:path';
import { existsSync, readFileSync } from 'node:fs';
import { readInput } from '../../core/chain/fields/input-values.ts';
import type { Chain, Input } from '../../core/chain/model.ts';
import { questionsOf } from '../../core/chain/steps-of.ts';
import { plainOf } from '../../core/chain/source/node-data.ts';
import { SourceFile } from '../../core/chain/source/source-file.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';

/** What is given for inputs: texts, and bytes of files that are none. */
export class Given extends Map<string, string | Uint8Array> {
  /** The files that values were read from, by the names of the inputs: rows are read as they are needed. */
  readonly files = new Map<string, string>();

  /** Those of some inputs. */
  only(isWanted: (name: string) => boolean): Given {
    const some = new Given([...this].filter(([name]) => isWanted(name)));
    for (const [name, path] of this.files) if (isWanted(name)) some.files.set(name, path);
    return some;
  }
}

/** Reads `name=value` options and a file of values into texts by name. */
export function readGiven(given: readonly string[], from: string | undefined): Given {
  const texts = new Given();
  if (from !== undefined) for (const [name, text] of readGivenFile(from)) texts.set(name, text);
  for (const one of given) {
    const equals = one.indexOf('=');
    if (equals < 1) fail('input-invalid', `--give ${one} is not name=value`, { hint: `--give ${one}=…` });
    const [name, value] = [one.slice(0, equals), one.slice(equals + 1)];
    texts.set(name, readValue(name, value));
    if (value.startsWith('@')) texts.files.set(name, value.slice(1));
    else texts.files.delete(name);
  }
  return texts;
}

/** Bytes as UTF-8, a mark at the beginning included; undefined if they are not. */
function textOf(bytes: Uint8Array): string | undefined {
  try {
    return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    return undefined;
  }
}

/** A file as it is, its last line end included; bytes where it is no text. What is piped in ends where its last line does. */
function readValue(name: string, text: string): string | Uint8Array {
  if (text !== '-' && !text.startsWith('@')) return text;
  try {
    const bytes = readFileSync(text === '-' ? 0 : text.slice(1));
    const read = textOf(bytes);
    if (read === undefined) return bytes;
    return text === '-' ? read.replace(/\r?\n$/, '') : read;
  } catch (error) {
    return fail('file-not-found', `the value of ${name} can't be read: ${(error as Error).message}`);
  }
}

function readGivenFile(path: string): [string, string][] {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch (error) {
    return fail('file-not-found', `${path} can't be read: ${(error as Error).message}`);
  }
  const { root, problems } = new SourceFile(path, text);
  if (problems[0])
    fail(problems[0].code, problems[0].message, {
      ...(problems[0].place ? { place: problems[0].place } : {}),
    });
  if (root.type !== 'map')
    fail('wrong-form', `${path} is not a map of names and values`, { hint: 'rack: A3' });
  return root.entries.map(({ key, value }) => [
    key.text,
    value.type === 'scalar' ? value.text : JSON.stringify(plainOf(value)),
  ]);
}

/** The inputs of a chain that were given; the others have defaults. Throws `input-missing`, `input-invalid`. */
export function inputsOf(chain: Chain, given: Given, zone: string): Record<string, Value> {
  const values: Record<string, Value> = {};
  const missing: Input[] = [];
  for (const input of chain.inputs) {
    const rows = input.kind === 'rows' ? given.files.get(input.name) : undefined;
    const text = rows ?? given.get(input.name);
    if (text === undefined) {
      if (input.default === undefined) missing.push(input);
      continue;
    }
    if (typeof text !== 'string') {
      if (input.kind !== 'text')
        fail('input-invalid', `the input ${input.name} is ${input.kind}, and the file is no text`, {
          hint: 'kind: text takes the bytes of any file',
        });
      values[input.name] = text;
      continue;
    }
    // A number or a date in a file ends where its line does.
    const whole = input.kind === 'text' || input.kind === 'json' ? text : text.replace(/\r?\n$/, '');
    const { value, problem } = readInput(input.kind, whole, zone, input.choices);
    if (problem)
      fail(
        'input-invalid',
        `the input ${input.name}: ${input.kind === 'secret' ? "can't be read" : problem.message}`,
        problem.hint === undefined ? {} : { hint: problem.hint },
      );
    // A path that is typed begins at the working folder, one in a chain file at that of the file.
    values[input.name] = input.kind === 'rows' ? existing(input.name, whole) : value!;
  }
  const [first] = missing;
  if (first) {
    const names = nameList(
      missing.map(({ name, about }) => (about === undefined ? name : `${name} (${about})`)),
    );
    fail('input-missing', `the chain "${chain.title}" needs ${names}`, {
      place: first.at,
      hint: missing.map(({ choices, name }) => `--give ${name}=${choices?.join('|') ?? '…'}`).join(' '),
    });
  }
  return values;
}

function existing(name: string, path: string): string {
  return existsSync(path)
    ? resolve(path)
    : fail('file-not-found', `there is no file ${path} for the rows of the input ${name}`, {
        hint: `--give ${name}=FILE.csv, .jsonl or .json`,
      });
}

/** Names that were given, but that no chain asks for. Throws `input-invalid`. */
export function refuseUnknown(chains: readonly Chain[], given: ReadonlyMap<string, unknown>): void {
  const known = new Set(
    chains.flatMap((chain) => [...chain.inputs, ...questionsOf(chain)].map(({ name }) => name)),
  );
  for (const name of given.keys()) {
    if (known.has(name)) continue;
    const near = nearest(name, known);
    const hint =
      near !== undefined
        ? `the nearest is ${near}`
        : known.size > 0
          ? `inputs: ${nameList([...known])}`
          : 'the chain has no inputs';
    fail('input-invalid', `no chain has an input ${name}`, { hint });
  }
}
