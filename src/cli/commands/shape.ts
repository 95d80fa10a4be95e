import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { stringify } from 'yaml';
import { asWritten, parsePlace } from '../../core/address.ts';
import { countOf } from '../../core/count-of.ts';
import { shapeOfValues } from '../../core/contract/shape-of-values.ts';
import type { Project } from '../../core/chain/project.ts';
import { readProject } from '../../core/chain/read/read-project.ts';
import type { ExitCode } from '../../core/events.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import { addEntry } from '../../import/add-to-file.ts';
import { loadProject, PROJECT_FILE, shownPath } from '../../api/load.ts';
import { findStep, nameOfStep, OpenRun, responseOf } from '../../api/open-run.ts';
import type { Records } from '../../api/record-types.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { errorTerminal, writeData } from '../terminal/terminal.ts';

export interface ShapeOptions {
  readonly fromRuns?: string;
  readonly add?: boolean;
  readonly name?: string;
}

/** So many responses are looked at. */
const MOST = 2_000;

/** `batharon shape RUN:STEP`: the JSON Schema of recorded responses. */
export function shape(where: string, options: ShapeOptions): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const records = recordsOf(project);
    const { open, step } = findStep(records, parsePlace(where));
    const runs = runsOf(options);
    const address = asWritten(step.address);
    const ids = [open.id, ...idsLike(records, open, runs - 1)];
    const values = ids.flatMap((id) => valuesOf(id === open.id ? open : OpenRun.read(records, id), address));
    if (values.length === 0)
      fail('no-record', `${where} has no response that is JSON`, {
        hint: 'a step whose response is an object or a list',
      });
    const schema = shapeOfValues(values.slice(0, MOST));
    const from = `${countOf(Math.min(values.length, MOST), 'response')} of ${countOf(ids.length, 'run')}`;
    const terminal = errorTerminal();
    if (options.add) {
      const name = options.name ?? nameFor(nameOfStep(step) ?? 'Response');
      const path = addShape(project, name, schema);
      terminal.write(`${terminal.colours.green('added')}   the shape ${name} to ${path}, from ${from}\n`);
      terminal.write(`\nNext: expect: fits($, '${name}')\n`);
      return 0;
    }
    writeData(`${JSON.stringify(schema, undefined, 2)}\n`);
    terminal.write(terminal.colours.dim(`from ${from}\n`));
    return 0;
  });
}

function runsOf({ fromRuns = '1' }: ShapeOptions): number {
  return /^[1-9]\d{0,3}$/.test(fromRuns)
    ? Number(fromRuns)
    : fail('wrong-form', `--from-runs is a number of at least 1, and this is ${fromRuns}`);
}

/** Earlier runs of the same chain in the same environment. */
function idsLike(records: Records, { id, run: { file, environment } }: OpenRun, most: number): string[] {
  const like: string[] = [];
  for (const one of records.list()) {
    if (like.length >= most) break;
    if (!('unreadable' in one) && one.run !== id && one.file === file && one.environment === environment)
      like.push(one.run);
  }
  return like;
}

/** The responses of a step, in each iteration of its loops. */
function valuesOf(open: OpenRun, address: string): Value[] {
  return [...open.steps()].flatMap((step) => {
    if (asWritten(step.address) !== address) return [];
    const response = responseOf(step);
    const value = response && response.status < 400 ? open.value(response) : undefined;
    return typeof value === 'object' && value !== null && !(value instanceof Uint8Array) ? [value] : [];
  });
}

/** `rack_pieces` is RackPieces. */
function nameFor(step: string): string {
  return step
    .split('_')
    .map((word) => word.slice(0, 1).toUpperCase() + word.slice(1))
    .join('');
}

/** Puts a shape into the project file, which is made where it is missing. Nothing is written unless it reads as well as before. */
function addShape(project: Project, name: string, schema: Record<string, unknown>): string {
  if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name))
    fail('name-invalid', `${name} can't be the name of a shape: a letter, then letters, digits and _`);
  const path = project.file === undefined ? join('.', PROJECT_FILE) : project.file;
  const before = existsSync(resolve(path)) ? readFileSync(resolve(path), 'utf8') : '';
  if (project.shapes.names.includes(name))
    fail('cannot-add', `${shownPath(path)} has a shape ${name} already`, { hint: '--name ANOTHER' });
  const lines = stringify(schema, { lineWidth: 0, aliasDuplicateObjects: false }).trimEnd().split('\n');
  const after = addEntry(path, before, 'shapes', { name, lines });
  const problems = (text: string): number =>
    readProject(path, text, undefined, false).findings.filter(({ level }) => level === 'problem').length;
  if (problems(after) > problems(before))
    fail('cannot-add', `with this shape ${shownPath(path)} would not hold together; nothing was written`);
  writeFileSync(resolve(path), after);
  return shownPath(path);
}
