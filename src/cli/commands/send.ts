import { readFileSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import { readChain } from '../../core/chain/read/read-chain.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { parseJson } from '../../core/language/json.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { nameList } from '../../core/language/nearest.ts';
import type { Project } from '../../core/chain/project.ts';
import { soundsSecret } from '../../core/chain/keys/secret-members.ts';
import { SHORTEST_NEEDLE } from '../../api/locked-secrets.ts';
import type { Secrets } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { type Draft, emptyDraft, freeName, serviceAt } from '../../import/draft.ts';
import { finished } from '../../import/to-step.ts';
import { inserted } from '../../import/step-secrets.ts';
import { entry, key, scalar, textEntry } from '../../import/yaml-text.ts';
import { bearerOption } from '../draft/bearer-option.ts';
import { pickOf, writeDraft } from '../draft/add-draft.ts';
import { printExchange, printResponse } from '../view/exchange-view.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { printFindings } from '../terminal/print-findings.ts';
import { responseOf, OpenRun } from '../../api/open-run.ts';
import { recordsOf, runRecorded, SENT_FILE } from '../../api/run-recorded.ts';
import { errorTerminal, type Terminal } from '../terminal/terminal.ts';
import { wrap } from '../terminal/text-width.ts';
import { openHere } from '../project/open-here.ts';
import { watchInterruption } from '../terminal/signals.ts';

export interface SendOptions {
  readonly as?: string;
  readonly bearer?: readonly string[];
  readonly query?: readonly string[];
  readonly header?: readonly string[];
  readonly json?: string;
  readonly form?: readonly string[];
  readonly text?: string;
  readonly xml?: string;
  readonly file?: string;
  readonly multipart?: readonly string[];
  readonly save?: string;
  /** The same, and the step that is written does not save. */
  readonly out?: string;
  /** The step is written, and nothing is sent. */
  readonly only?: boolean;
  readonly timeout?: string;
  readonly all?: boolean;
  readonly env?: string;
  readonly name?: string;
  readonly add?: string;
  readonly keep?: readonly string[];
}

/** `batharon send METHOD SERVICE PATH`: one request without a file. */
export function send(words: readonly string[], given: SendOptions): Promise<ExitCode> {
  return guarded(async () => {
    const terminal = errorTerminal();
    const { project: own, findings, signInChains } = loadProject(given.env, true);
    const wrong = findings.filter(({ finding }) => finding.level === 'problem');
    if (wrong.length > 0) {
      printFindings(terminal, wrong);
      return 2;
    }
    const bearer = given.bearer && bearerOption(given.bearer, own);
    const project = bearer?.project ?? own;
    const options = bearer ? { ...given, as: bearer.name } : given;
    const typed = new TypedKeys(project);
    const { call, title } = requestLine(
      [...words, ...(bearer?.rest ?? [])],
      [...project.services.keys()],
      (url) => {
        const found = serviceAt(project, url);
        return found && `${found.service.name} ${found.path}`;
      },
    );
    const step = stepLines(call, options, typed, (path) => path);
    const text = `chain: ${JSON.stringify(title)}\nsteps:\n${step.map((line) => `  ${line}`).join('\n')}\n`;
    if (options.only) {
      if (options.add === undefined)
        fail('wrong-form', '--only writes the step and sends nothing, and does not say where', {
          hint: '--add FILE --only',
        });
      await addStep(options.add, call, options, { typed, bearer, own, title });
      return 0;
    }
    const { chain, findings: ofStep } = readChain(SENT_FILE, text, typed.project);
    if (!chain) {
      // The lines of the step are of our making, so only what is wrong is said.
      const { code, message, hint } = ofStep.find((finding) => finding.level === 'problem')!;
      return fail(code, message, hint === undefined ? {} : { hint });
    }
    const interruption = watchInterruption(terminal);
    typed.sayIn(terminal);
    const world = await openHere(project);
    const events: RunEvent[] = [];
    let exit: ExitCode;
    let id: string;
    try {
      ({ exit, id } = await runRecorded(
        chain,
        typed.project,
        { ...world, ports: { ...world.ports, secrets: typed.before(world.ports.secrets) } },
        {
          options: {
            inputs: {},
            signal: interruption.signal,
            signInChains,
            emit: (event) => events.push(event),
          },
        },
      ));
    } finally {
      interruption.stop();
      await world.close();
    }
    printExchange(terminal, events);
    const open = OpenRun.read(recordsOf(project), id);
    const response = open.run.steps[0] && responseOf(open.run.steps[0]);
    if (response) await printResponse(open, response, { all: options.all ?? false });
    if (options.add !== undefined) await addStep(options.add, call, options, { typed, bearer, own, title });
    return exit;
  });
}

/** Writes the request as a step into a chain file. */
async function addStep(
  add: string,
  call: string,
  { out: _, ...options }: SendOptions,
  {
    bearer,
    own,
    title,
    typed,
  }: {
    readonly typed: TypedKeys;
    readonly bearer: ReturnType<typeof bearerOption> | undefined;
    readonly own: Project;
    readonly title: string;
  },
): Promise<void> {
  // A path is typed from here, and written from the folder of the chain file.
  const near = dirname(resolve(add));
  const draft = draftOf(
    stepLines(call, options, typed, (path) => relative(near, resolve(path))),
    typed,
  );
  bearer?.addTo(draft);
  await writeDraft(draft, own, add, { title });
}

/** `METHOD SERVICE PATH`, `METHOD URL`, `SERVICE PATH` or `URL`; GET where no method is given. */
function requestLine(
  words: readonly string[],
  services: readonly string[],
  atService: (url: string) => string | undefined,
): { call: string; title: string } {
  const [first = '', ...others] = words;
  const isMethod = /^[A-Za-z]+$/.test(first) && !services.includes(first);
  const method = isMethod ? first.toUpperCase() : 'GET';
  const rest = isMethod ? others : words;
  const [where = '', path] = rest;
  if (where === '' || rest.length > 2)
    fail('wrong-form', 'a request is METHOD SERVICE PATH, or METHOD URL', {
      hint: `batharon send GET ${services[0] ?? 'https://…'} ${services.length > 0 ? '/racks' : ''}`.trim(),
    });
  const target = path === undefined ? (atService(where) ?? where) : `${where} ${path}`;
  // The query may hold a key.
  return { call: `${method} ${target}`, title: `${method} ${target.replace(/[?#].*$/s, '')}` };
}

const literal = (text: string): string => text.replaceAll('${', () => '$${');

/** Keys that are typed in become secrets of this one request, so that they are masked like any other. */
class TypedKeys {
  readonly #project: Project;
  readonly #values = new Map<string, string>();

  constructor(project: Project) {
    this.#project = project;
  }

  /** The name of the secret that a text becomes; undefined if its name does not tell that it is a key. */
  secret(name: string, value: string): string | undefined {
    if (value.length < SHORTEST_NEEDLE || soundsSecret(name) !== 'surely') return undefined;
    const own = name.toLowerCase().replace(/\W+/g, '_');
    for (const [known, before] of this.#values) if (before === value && known.startsWith(own)) return known;
    const secret = freeName(own, {
      has: (one) => this.#project.secrets.has(one) || this.#values.has(one),
    });
    this.#values.set(secret, value);
    return secret;
  }

  /** A text as it stands in the step. */
  text(name: string, value: string): string {
    const secret = this.secret(name, value);
    return secret === undefined ? literal(value) : `\${secret.${secret}}`;
  }

  /** The same for the parameters of an address. */
  url(text: string): string {
    return text
      .split(/([?&])/)
      .map((part) => {
        const [, name, value] = /^([^=#\s]+)=([^#]+)$/.exec(part) ?? [];
        return name === undefined ? literal(part) : `${literal(name)}=${this.text(name, value!)}`;
      })
      .join('');
  }

  get project(): Project {
    const at = { file: SENT_FILE, line: 1, column: 1 };
    const own = [...this.#values.keys()].map((name) => [name, { name, from: 'ask', where: '', at }] as const);
    return own.length === 0
      ? this.#project
      : { ...this.#project, secrets: new Map([...this.#project.secrets, ...own]) };
  }

  get all(): ReadonlyMap<string, string> {
    return this.#values;
  }

  /** Where its own come from what was typed, the others from where they come anyway. */
  before(others: Secrets): Secrets {
    return { get: (name) => Promise.resolve(this.#values.get(name) ?? others.get(name)) };
  }

  sayIn(terminal: Terminal): void {
    if (this.#values.size === 0) return;
    const one = this.#values.size === 1;
    const names = nameList([...this.#values.keys()]);
    const text = `${names} ${one ? 'was' : 'were'} typed in, so the history of the shell has ${one ? 'it' : 'them'}; here ${one ? 'it is' : 'they are'} masked. secrets: in batharon.yaml keeps a key out of both`;
    wrap(text, terminal.wrapWidth - 8).forEach((row, i) =>
      terminal.write(`${terminal.colours.yellow((i === 0 ? 'warning' : '').padEnd(8))}${row}\n`),
    );
  }
}

/** The lines of the step; `pathFrom` makes of a path as typed one as it is written. */
function stepLines(
  call: string,
  options: SendOptions,
  typed: TypedKeys,
  pathFrom: (path: string) => string,
): string[] {
  const lines = [`call: ${typed.url(call)}`];
  if (options.name !== undefined) lines.push(`name: ${options.name}`);
  else lines.push('name: send');
  if (options.as !== undefined) lines.push(`as: ${options.as}`);
  const query = pairs(options.query, 'query', typed);
  if (query) lines.push(...entry('query', query));
  if (options.header && options.header.length > 0) {
    lines.push('headers:');
    for (const one of options.header) {
      const [, name, value] = /^([^:=\s]+)\s*[:=]\s*(.*)$/s.exec(one) ?? [];
      if (name === undefined)
        fail('wrong-form', `--header ${one} is not Name: value`, {
          hint: "--header 'Accept: application/json'",
        });
      const text = /^cookie$/i.test(name) ? typed.text('authorization', value!) : typed.text(name, value!);
      lines.push(`  ${key(name)}: ${scalar(text)}`);
    }
  }
  if (options.json !== undefined) lines.push(...entry('json', jsonOf(fileOr(options.json))));
  const form = pairs(options.form, 'form', typed);
  if (form) lines.push(...entry('form', form));
  if (options.keep && options.keep.length > 0)
    lines.push(
      'keep:',
      ...options.keep
        .map((pick) => pickOf(pick))
        .map(([name, expression]) => `  ${name}: ${scalar(expression)}`),
    );
  if (options.text !== undefined) lines.push(...textEntry('text', fileOr(options.text)));
  if (options.xml !== undefined) lines.push(...textEntry('xml', fileOr(options.xml)));
  const path = (given: string): string => scalar(literal(pathFrom(given)));
  if (options.file !== undefined) lines.push(`file: ${path(options.file)}`);
  if (options.multipart && options.multipart.length > 0) {
    lines.push('multipart:');
    for (const one of options.multipart) {
      const [, name, value = ''] = /^([^=]+)=(.*)$/s.exec(one) ?? [];
      if (name === undefined)
        fail('wrong-form', `--multipart ${one} is not name=value or name=@file`, {
          hint: `--multipart photo=@bowl.png`,
        });
      const part = value.startsWith('@')
        ? `{ file: ${JSON.stringify(literal(pathFrom(value.slice(1))))} }`
        : undefined;
      lines.push(`  ${key(name)}: ${part ?? scalar(typed.text(name, value))}`);
    }
  }
  const save = options.save ?? options.out;
  if (save !== undefined) lines.push(`save: ${path(save)}`);
  if (options.timeout !== undefined) lines.push(`timeout: ${scalar(options.timeout)}`);
  return finished(lines).map((line, i) => (i === 0 ? `- ${line}` : `  ${line}`));
}

function pairs(given: readonly string[] | undefined, option: string, typed: TypedKeys): Value | undefined {
  if (!given || given.length === 0) return undefined;
  const all = new Map<string, string[]>();
  for (const one of given) {
    const [, name, value] = /^([^=]+)=(.*)$/s.exec(one) ?? [];
    if (name === undefined)
      fail('wrong-form', `--${option} ${one} is not name=value`, { hint: `--${option} ${one}=…` });
    const secret = typed.secret(name, value!);
    all.set(name, [...(all.get(name) ?? []), secret === undefined ? value! : inserted(`secret.${secret}`)]);
  }
  return objectOf([...all].map(([name, values]) => [name, values.length === 1 ? values[0]! : values]));
}

/** The text itself, that of a file after @, or standard input for -. */
function fileOr(text: string): string {
  if (text !== '-' && !text.startsWith('@')) return text;
  try {
    return readFileSync(text === '-' ? 0 : text.slice(1), 'utf8');
  } catch (error) {
    return fail('file-not-found', `${text.slice(1)} can't be read: ${(error as Error).message}`);
  }
}

function jsonOf(text: string): Value {
  try {
    return parseJson(text);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    throw new ProblemError({
      ...error.problem,
      message: `--json is no JSON: ${error.problem.message}`,
      hint: `--json '{ "cone": 6 }', in single quotes for the shell`,
    });
  }
}

function draftOf(step: string[], typed: TypedKeys): Draft {
  return {
    ...emptyDraft(),
    step: step.filter((line) => line !== '  name: send'),
    secrets: new Map([...typed.all].map(([name, value]) => [name, { source: 'locked', value }])),
  };
}
