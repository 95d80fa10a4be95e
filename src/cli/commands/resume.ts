import { existsSync } from 'node:fs';
import { readInput } from '../../core/chain/inputs.ts';
import type { Chain } from '../../core/chain/model.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { nameList } from '../../core/language/nearest.ts';
import { memberOf, type Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import { type Decisions, pastOf, type PastRun, type Undecided } from '../../core/record/past.ts';
import type { RecordedRun } from '../../core/record/recorded-run.ts';
import type { SourceFile } from '../../core/chain/source.ts';
import type { Records } from '../../io/record/records.ts';
import { filesOf } from '../files-of.ts';
import { watchInterruption } from '../interruption.ts';
import { guarded } from '../guard.ts';
import { inputsOf, readGiven } from '../inputs.ts';
import { load, loadProject } from '../load.ts';
import { OpenRun } from '../open-run.ts';
import { recordsOf, runRecorded } from '../run-recorded.ts';
import { RunView } from '../run-view.ts';
import { StepLines } from '../step-lines.ts';
import { errorTerminal, type Terminal, writeData } from '../terminal.ts';
import { openWorld } from '../world.ts';
import { printOwnResults, reportProblems } from './run.ts';

export interface ResumeOptions {
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  readonly sent?: readonly string[] | boolean;
  readonly notSent?: readonly string[] | boolean;
  readonly print?: string;
  readonly json?: boolean;
  readonly leave?: boolean;
}

/** `batharon resume [RUN]`: goes on where a run broke or was cut off, with the chain as it now is. */
export function resume(wanted: string | undefined, options: ResumeOptions): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      const records = recordsOf(loadProject(undefined, false).project);
      const id = wanted === undefined || wanted === 'last' ? lastWhole(records) : records.find(wanted);
      const { run } = OpenRun.read(records, id, (address) => !address.includes('['));
      refuseUnfit(run, records);
      const loaded = load([run.file], run.environment, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const chain = loaded.chains[0]!;
      const world = await openWorld(loaded.project);
      const interruption = watchInterruption(terminal);
      try {
        const given = readGiven(options.give ?? [], options.giveFrom);
        const past = readPast(records, id, decisionsOf(options), lostNames(chain, given), (sealed) =>
          world.locked.open(sealed),
        );
        if (past.undecided.length > 0) return ask(terminal, id, past.undecided);
        const view = new RunView(terminal);
        let results: Readonly<Record<string, string>> = {};
        const { exit } = await runRecorded(
          chain,
          loaded.project,
          world,
          {
            inputs: {
              ...inputsOf(withoutKnown(chain, past), withoutLost(chain, given)),
              ...knownInputs(chain, past),
            },
            past: past.past,
            files: filesOf(loaded, chain),
            signal: interruption.signal,
            signInChains: loaded.signInChains,
            ...(options.leave ? { leave: true } : {}),
            emit: (event: RunEvent) => {
              if (event.event === 'run-ended') ({ results } = event);
              if (options.json) writeData(`${JSON.stringify(event)}\n`);
              else view.show(event);
            },
          },
          id,
        );
        if (!options.json) printOwnResults(chain.file, results, options.print);
        return exit;
      } finally {
        interruption.stop();
        await world.close();
      }
    },
    () => files,
  );
}

/** The latest run of a whole chain; what was sent or tried since does not count. Throws `no-record`. */
function lastWhole(records: Records): string {
  for (const run of records.list())
    if ('unreadable' in run || (run.file !== 'send' && !run.part)) return run.run;
  return records.find('last');
}

/** Throws `cannot-resume` where there is nothing to go on from. */
function refuseUnfit(
  { booked, cleanup, file, id, outcome, part, undo }: RecordedRun,
  records: Records,
): void {
  const refuse = (message: string, instead: string): never => fail('cannot-resume', message, { instead });
  const running = records.isRunning(id);
  if (running !== undefined)
    refuse(`the run ${id} still goes on, in process ${running}`, 'once it has ended');
  if (file === 'send' || part) refuse(`the run ${id} was no run of a whole chain`, 'batharon run');
  if (outcome === 'held')
    refuse(`the run ${id} held, so there is nothing to go on with`, `batharon view ${id}`);
  if (!existsSync(file))
    refuse(`the chain ${file} of the run ${id} is not there any more`, 'the file, where it was');
  if (undo.length + cleanup.length === 0) return;
  const taken = [
    ...new Set(undo.map(({ address }) => address.replace(/\.undo\..*$/, ''))),
    ...(cleanup.length > 0 ? ['what cleanup took away'] : []),
  ];
  refuse(
    `the run ${id} has taken back what it had done: ${nameList(taken)}. What came after it can’t be gone on with`,
    booked.length > 0
      ? `batharon cleanup ${id} takes back the rest; then a new run`
      : 'a new run; with --leave it can be resumed if it breaks',
  );
}

/** What a person says with `--sent` and `--not-sent`: of some steps, or of all where none is named. */
function decisionsOf({ notSent, sent }: ResumeOptions): Decisions {
  const says = (said: readonly string[] | boolean | undefined) => (address: string) =>
    said === true ||
    (Array.isArray(said) && said.some((one) => one === address || address.endsWith(`.${one}`)));
  return { sent: says(sent), notSent: says(notSent) };
}

/** Reads what a run had done. Throws `cannot-resume`, `record-unreadable`. */
export function readPast(
  records: Records,
  id: string,
  decisions: Decisions,
  given: ReadonlyMap<string, Value>,
  open: (sealed: string) => string | undefined,
): PastRun {
  const { events, garbled } = records.events(id);
  if (garbled.length > 0)
    fail(
      'cannot-resume',
      `line ${garbled[0]!} of the record of the run ${id} can’t be read, so it can’t be told what was sent`,
      { instead: 'a new run' },
    );
  return pastOf(events, { open, body: (digest) => records.body(id, digest) }, decisions, given);
}

/** Values that are given for names which steps keep: they are lost with an answer. */
function lostNames(chain: Chain, given: ReadonlyMap<string, string>): Map<string, Value> {
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  return new Map(
    [...given].flatMap(([name, text]): [string, Value][] => {
      if (inputs.has(name)) return [];
      const { value } = readInput('json', text);
      return [[name, value ?? text]];
    }),
  );
}

function withoutLost(chain: Chain, given: ReadonlyMap<string, string>): Map<string, string> {
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  return new Map([...given].filter(([name]) => inputs.has(name)));
}

/** The inputs as the run was given them. */
export function knownInputs(chain: Chain, { inputs }: PastRun): Record<string, Value> {
  return Object.fromEntries(
    chain.inputs.flatMap(({ kind, name }) => {
      const value = inputs.get(name);
      if (value === undefined || (value === null && kind !== 'json')) return [];
      // A date stands in the record as its text.
      const read = kind === 'date' && typeof value === 'string' ? readInput(kind, value).value : undefined;
      return [[name, read ?? value] as const];
    }),
  );
}

function withoutKnown(chain: Chain, past: PastRun): Chain {
  const known = knownInputs(chain, past);
  return { ...chain, inputs: chain.inputs.filter(({ name }) => memberOf(known, name) === undefined) };
}

/** Says which requests may have been processed, and what decides. Nothing has been sent. */
function ask(terminal: Terminal, id: string, undecided: readonly Undecided[]): ExitCode {
  const lines = new StepLines(terminal);
  for (const { answer, failed, request, step } of undecided) {
    lines.line('unknown', step);
    lines.row('call', `${request.method} ${request.url}`);
    if (request.body?.text !== undefined) lines.row('sent', request.body.text.slice(0, 300));
    lines.row(
      'known',
      answer
        ? `it was answered with ${answer.status}`
        : failed
          ? failed.problem.message
          : 'it was sent, and the run was cut off before its answer',
    );
  }
  const [{ step }] = undecided as [Undecided];
  const one = undecided.length === 1;
  terminal.write(
    `\n${one ? 'This request' : `These ${undecided.length} requests`} may have been processed, and sending ${one ? 'it' : 'them'} again may do ${one ? 'it' : 'them'} twice. Look at the service, then say:\n` +
      `    batharon resume ${id} --sent ${step}        it was processed, and is not sent again\n` +
      `    batharon resume ${id} --not-sent ${step}    it was not, and is sent\n` +
      'Without a step the word holds for all of them. Nothing was sent now.\n',
  );
  return 2;
}
