import { countOf } from '../../core/count-of.ts';
import { existsSync } from 'node:fs';
import { readInput } from '../../core/chain/fields/input-values.ts';
import type { Chain, Input } from '../../core/chain/model.ts';
import type { Project } from '../../core/chain/project.ts';
import { ownStepAt, stepAt } from '../../core/chain/steps-of.ts';
import { askText } from '../terminal/prompts.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { nameList } from '../../core/language/nearest.ts';
import { memberOf, type Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import { type Decisions, pastOf, type PastRun, type Undecided } from '../../core/record/past-of-events.ts';
import type { RecordedRun } from '../../core/record/recorded-run.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import type { Records } from '../../api/record-types.ts';
import { filesOf } from '../../api/files-of.ts';
import { knownInputs } from '../../api/known-inputs.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { type Given, inputsOf, readGiven } from '../project/given-inputs.ts';
import { answersIn } from '../project/missing-inputs.ts';
import { load, loadProject } from '../../api/load.ts';
import { OpenRun } from '../../api/open-run.ts';
import { recordsOf, runRecorded } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { StepLines } from '../view/step-lines.ts';
import { errorTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { openHere } from '../project/open-here.ts';
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

/** `batharon resume [RUN]`: goes on where a run failed or was interrupted, with the chain as it now is. */
export function resume(wanted: string | undefined, options: ResumeOptions): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      const { project } = loadProject(undefined, false);
      const records = recordsOf(project);
      if (project.team) await bringUpToDate(terminal, project, wanted);
      const id = wanted === undefined || wanted === 'last' ? lastWhole(records) : records.find(wanted);
      const { run } = OpenRun.read(records, id, (address) => !address.includes('['));
      refuseUnfit(run, records);
      const loaded = load([run.file], run.environment, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const chain = loaded.chains[0]!;
      const world = await openHere(loaded.project);
      const interruption = watchInterruption(terminal);
      try {
        const given = readGiven(options.give ?? [], options.giveFrom);
        let said: Said = { sent: options.sent, notSent: options.notSent, lost: lostNames(chain, given) };
        const read = (): PastRun =>
          readPast(records, id, decisionsOf(said), {
            given: lostOf(said.lost),
            open: (sealed) => world.sealer.open(sealed),
          });
        let past = read();
        while (past.undecided.length > 0) {
          const [first] = past.undecided as [Undecided];
          const answered = await askAbout(terminal, first, chain);
          if (!answered) return ask(terminal, id, past.undecided);
          said = withResponse(said, first.step, answered);
          past = read();
        }
        refuseOneForAll(records, id, said);
        const anew = givenAnew(chain, past, given);
        const view = new RunView(terminal);
        let results: Readonly<Record<string, string>> = {};
        const spread =
          run.isSpread && loaded.project.team
            ? (await import('../../api/run-spread.ts')).spreading(loaded)
            : undefined;
        const { exit } = await runRecorded(chain, loaded.project, world, {
          options: {
            inputs: {
              ...inputsOf(withoutKnown(chain, past), withoutLost(chain, given), loaded.project.zone),
              ...knownInputs(chain, past),
              ...inputsOf({ ...chain, inputs: anew }, given, loaded.project.zone),
            },
            ...(anew.length > 0 ? { givenAnew: anew.map(({ name }) => name) } : {}),
            past: past.past,
            answers: answersIn(chain, given),
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
          resumed: id,
          ...(spread ? { spread } : {}),
        });
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

/** Asks the other machines of the team what they know of a run. Throws `team-away`. */
async function bringUpToDate(
  terminal: Terminal,
  project: Project,
  wanted: string | undefined,
): Promise<void> {
  const records = recordsOf(project);
  const isHere = records.ids().some((id) => id.startsWith(wanted ?? ''));
  const isName = wanted !== undefined && wanted !== 'last';
  if (!isHere && !isName) return;
  const id = isHere ? (isName ? records.find(wanted) : lastWhole(records)) : wanted!;
  const { collectWork } = await import('../../api/collect-work.ts');
  const world = await openHere(project, { asks: false });
  try {
    const added = await collectWork(project, world.team!, id, (message) =>
      terminal.write(`${terminal.colours.dim(message)}\n`),
    );
    if (added > 0)
      terminal.write(
        terminal.colours.dim(
          `${countOf(added, 'event')} of the run came from the other machines of the team\n`,
        ),
      );
  } finally {
    await world.close();
  }
}

/** The latest run of a whole chain; what was sent or tried since does not count. Throws `no-record`. */
function lastWhole(records: Records): string {
  for (const run of records.list())
    if ('unreadable' in run || (run.file !== 'send' && !run.part && !run.watch)) return run.run;
  return records.find('last');
}

/** Throws `cannot-resume` where there is nothing to go on from. */
function refuseUnfit(
  { booked, cleanup, file, id, left, outcome, part, undo }: RecordedRun,
  records: Records,
): void {
  const refuse = (message: string, hint: string): never => fail('cannot-resume', message, { hint });
  const running = records.isRunning(id);
  if (running !== undefined)
    refuse(`the run ${id} still goes on, in process ${running}`, 'once it has ended');
  if (file === 'send' || part) refuse(`the run ${id} was no run of a whole chain`, 'batharon run');
  if (outcome === 'passed')
    refuse(`the run ${id} passed, so there is nothing to go on with`, `batharon view ${id}`);
  if (!existsSync(file))
    refuse(`the chain ${file} of the run ${id} is not there any more`, 'the file, where it was');
  if (undo.length + cleanup.length === 0) return;
  const still = new Set(booked.map(({ step }) => step));
  const taken = [...new Set(undo.map(({ address }) => address.replace(/\.undo\..*$/, '')))].filter(
    (step) => !still.has(step),
  );
  const cleaned = cleanup.filter((step) => step.outcome === 'passed').length;
  const what = [
    ...(taken.length > 0 ? [`it has taken back ${nameList(taken)}`] : []),
    ...(cleaned > 0 ? [`${countOf(cleaned, 'step')} of cleanup passed`] : []),
    ...(still.size > 0 ? [`not taken back: ${nameList([...still])}`] : []),
  ];
  refuse(
    `the run ${id} has ended with undo and cleanup (${what.join('; ')}), so what came after can't be gone on with`,
    booked.length > 0 || left
      ? `batharon cleanup ${id} takes back the rest; then a new run`
      : 'a new run; with --leave it can be resumed if it breaks',
  );
}

/** What a person has said of requests whose outcome is not known. */
interface Said {
  readonly sent: readonly string[] | boolean | undefined;
  readonly notSent: readonly string[] | boolean | undefined;
  /** Values of names that are lost with a response; `load[3].id` is one of an iteration or a step. */
  readonly lost: ReadonlyMap<string, Value>;
}

/** What is said with `--sent` and `--not-sent`: of some steps or iterations, or of all where none is named. */
function decisionsOf({ notSent, sent }: Said): Decisions {
  const says = (said: readonly string[] | boolean | undefined) => (address: string) =>
    said === true ||
    (Array.isArray(said) && (said as readonly string[]).some((one) => isMeant(one, address)));
  return { sent: says(sent), notSent: says(notSent) };
}

/** Whether a step is the one that a person names, or stands in the iteration or step that is named. */
function isMeant(named: string, address: string): boolean {
  return (
    address === named ||
    address.startsWith(`${named}.`) ||
    address.endsWith(`.${named}`) ||
    address.includes(`.${named}.`)
  );
}

/** The values that are lost with the response of a step: those that were given for it, and those for any. */
function lostOf(lost: ReadonlyMap<string, Value>): (address: string) => ReadonlyMap<string, Value> {
  return (address) => {
    const own = new Map<string, Value>();
    for (const [name, value] of lost) {
      const [, of, plain = name] = /^(.+)\.([A-Za-z_]\w*)$/.exec(name) ?? [];
      if (of === undefined ? !own.has(plain) : isMeant(of, address)) own.set(plain, value);
    }
    return own;
  };
}

/** Throws `cannot-resume` where one value would stand for what several requests gave, each its own. */
function refuseOneForAll(records: Records, id: string, said: Said): void {
  const plain = [...said.lost.keys()].filter((name) => !name.includes('.'));
  if (plain.length === 0) return;
  const { undecided } = readPast(
    records,
    id,
    { sent: () => false, notSent: decisionsOf(said).notSent },
    { given: () => new Map(), open: () => undefined, quiet: true },
  );
  if (undecided.length < 2) return;
  const [first, second] = undecided as [Undecided, Undecided];
  fail(
    'cannot-resume',
    `${plain[0]!} was given once, and ${undecided.length} requests were processed, each with a response of its own: ${nameList(undecided.map(({ step }) => step))}`,
    {
      hint: `--give '${first.step}.${plain[0]!}=…' --give '${second.step}.${plain[0]!}=…'`,
    },
  );
}

/** What a person says of one request. */
interface Answered {
  readonly processed: boolean;
  readonly lost: ReadonlyMap<string, Value>;
}

/** Asks at a terminal about one request; undefined if nobody is there, or the person does not know. */
async function askAbout(
  terminal: Terminal,
  { request, step: address }: Undecided,
  chain: Chain,
): Promise<Answered | undefined> {
  const processed = await askText(
    `${address}  ${request.method} ${request.url}\nWas it processed? [yes/no, or nothing to stop] `,
  );
  if (processed === undefined || !/^(?:y|yes|n|no)$/i.test(processed)) return undefined;
  if (/^n/i.test(processed)) return { processed: false, lost: new Map() };
  const lost = new Map<string, Value>();
  for (const { name } of stepAt(chain, address)?.keep ?? []) {
    const text = await askText(`What was ${name}? [nothing if it does not matter] `);
    if (text !== undefined && text !== '')
      lost.set(`${address}.${name}`, readInput('json', text, 'UTC').value ?? text);
  }
  terminal.write('\n');
  return { processed: true, lost };
}

function withResponse(said: Said, step: string, { lost, processed }: Answered): Said {
  const with_ = (before: Said['sent']): Said['sent'] =>
    before === true ? true : [...(Array.isArray(before) ? (before as readonly string[]) : []), step];
  return {
    sent: processed ? with_(said.sent) : said.sent,
    notSent: processed ? said.notSent : with_(said.notSent),
    lost: new Map([...said.lost, ...lost]),
  };
}

/** Reads what a run had done. Throws `cannot-resume`, `record-unreadable`. */
export function readPast(
  records: Records,
  id: string,
  decisions: Decisions,
  {
    given,
    open,
    quiet = false,
  }: {
    readonly given: (address: string) => ReadonlyMap<string, Value>;
    readonly open: (sealed: string) => string | undefined;
    readonly quiet?: boolean | undefined;
  },
): PastRun {
  const { events, garbled } = records.events(id);
  if (quiet)
    return pastOf(
      events.filter(({ event }) =>
        ['step-began', 'request-sent', 'request-failed', 'response-received', 'step-ended'].includes(event),
      ),
      { open: () => '{"headers":[],"body":""}', body: () => new Uint8Array() },
      decisions,
      given,
    );
  if (records.isIncomplete(id))
    fail(
      'cannot-resume',
      `the record of the run ${id} ends before the run did, since it could not be written any more, so it can't be told what was sent and what was taken back`,
      { hint: `batharon cleanup ${id}, if something is left; then a new run` },
    );
  if (garbled.length > 0)
    fail(
      'cannot-resume',
      `line ${garbled[0]!} of the record of the run ${id} can't be read, so it can't be told what was sent`,
      { hint: 'a new run' },
    );
  return pastOf(events, { open, body: (digest) => records.body(id, digest) }, decisions, given);
}

/** Values that are given for names which steps keep: they are lost with a response. */
function lostNames(chain: Chain, given: ReadonlyMap<string, string | Uint8Array>): Map<string, Value> {
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  return new Map(
    [...given].flatMap(([name, text]): [string, Value][] => {
      if (inputs.has(name)) return [];
      const { value } = typeof text === 'string' ? readInput('json', text, 'UTC') : {};
      return [[name, value ?? text]];
    }),
  );
}

function withoutLost(chain: Chain, given: Given): Given {
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  return given.only((name) => inputs.has(name));
}

/**
 * The inputs that are given another value than the run began with. Throws `cannot-resume` where a step that passed, and is not
 * carried out again, has used it.
 */
function givenAnew(chain: Chain, past: PastRun, given: Given): Input[] {
  const anew = chain.inputs.filter(({ name }) => given.has(name) && past.inputs.has(name));
  for (const { name } of anew)
    for (const address of past.done)
      if (ownStepAt(chain, address)?.uses.has(name))
        fail('cannot-resume', `${address} was carried out with the input ${name} as it was`, {
          hint: 'a new run',
        });
  return anew;
}

function withoutKnown(chain: Chain, past: PastRun): Chain {
  const known = knownInputs(chain, past);
  return { ...chain, inputs: chain.inputs.filter(({ name }) => memberOf(known, name) === undefined) };
}

/** Says which requests may have been processed, and what decides. Nothing has been sent. */
function ask(terminal: Terminal, id: string, undecided: readonly Undecided[]): ExitCode {
  const lines = new StepLines(terminal);
  for (const { response, failed, request, step } of undecided) {
    lines.line('unknown', step);
    lines.row('call', `${request.method} ${request.url}`);
    if (request.body?.text !== undefined) lines.row('sent', request.body.text.slice(0, 300));
    lines.row(
      'known',
      response
        ? `it was answered with ${response.status}`
        : failed
          ? failed.problem.message
          : 'it was sent, and the run was interrupted before its response',
    );
  }
  const [{ step }] = undecided as [Undecided];
  const one = undecided.length === 1;
  terminal.write(
    `\n${one ? 'This request' : `These ${undecided.length} requests`} may have been processed, and sending ${one ? 'it' : 'them'} again may do ${one ? 'it' : 'them'} twice. Look at the service, then say:\n` +
      `    batharon resume ${id} --sent ${step}        it was processed, and is not sent again\n` +
      `    batharon resume ${id} --not-sent ${step}    it was not, and is sent\n` +
      (one
        ? ''
        : `What each gave is said for itself: --give '${step}.NAME=…'. Without a step the word holds for all of them.\n`) +
      'Nothing was sent now.\n',
  );
  return 2;
}
