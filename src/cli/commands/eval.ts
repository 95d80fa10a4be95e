import { existsSync, fstatSync, readFileSync } from 'node:fs';
import type { ExitCode } from '../../core/events.ts';
import { checkExpression } from '../../core/language/expression.ts';
import type { Environment, Warning } from '../../core/language/environment.ts';
import { ANY, kindOfValue } from '../../core/language/kinds.ts';
import { parseJson, writeJson } from '../../core/language/json.ts';
import { normalisedPath } from '../../core/language/paths.ts';
import { brief } from '../../core/language/show.ts';
import { givesNodes } from '../../core/language/tree.ts';
import { memberOf, objectOf, type Maybe, type Value, type ValueObject } from '../../core/language/values.ts';
import { plainText } from '../../core/language/functions/conversion.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import type { Records } from '../../api/record-types.ts';
import { worldFor } from '../../api/machine-world.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { attemptAt, findStep } from '../../api/open-run.ts';
import { parsePlace } from '../../core/address.ts';
import { stepNames } from '../../api/recorded-names.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { errorTerminal, outputTerminal, writeData } from '../terminal/terminal.ts';
import { pad, fit, widthOf } from '../terminal/text-width.ts';

export interface EvalOptions {
  readonly on?: string;
  readonly json?: boolean;
}

interface Subject {
  readonly response: Maybe;
  readonly names: ValueObject;
  readonly where: string;
}

/** `batharon eval EXPRESSION`: on a JSON file, standard input, or the response of a recorded step. */
export function evalCommand(text: string, file: string | undefined, options: EvalOptions): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const { response, names, where } = subject(file, options, recordsOf(project));
    const { expression, problems } = checkExpression(text, {
      lookup: (name) => (Object.hasOwn(names, name) ? { kind: kindOfValue(names[name]) } : undefined),
      names: () => Object.keys(names),
      functions: project.functions,
      response: response === undefined ? { missing: `${where} has no body` } : ANY,
    });
    if (!expression) return refuse(text, problems[0]!);
    const world = await worldFor(text, project);
    const terminal = errorTerminal();
    const warnings = new Set<string>();
    const environment: Environment = {
      response,
      name: (name: string): Maybe => memberOf(names, name),
      world,
      visited: 0,
      warn: ({ message }: Warning) => void warnings.add(message),
    };
    try {
      const nodes = expression.locate(environment);
      const value = expression.evaluate(environment);
      const empty = givesNodes(expression.tree) && Array.isArray(value) && value.length === 0;
      if (value === undefined || (nodes?.length === 0 && empty)) {
        const { message, hint } = expression.whyNothing(environment);
        const { colours } = terminal;
        terminal.write(
          `${colours.red(message)}\n${hint === undefined ? '' : `    ${colours.cyan('hint:')} ${hint}\n`}`,
        );
        return 1;
      }
      for (const warning of warnings) terminal.write(`${terminal.colours.yellow('warning')}  ${warning}\n`);
      if (nodes && !options.json)
        printNodes(nodes.map(({ path, value: found }) => [normalisedPath(path), found]));
      else printValue(value, options.json ?? false);
      return 0;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      refuse(text, error.problem);
      return 1;
    }
  });
}

function subject(file: string | undefined, { on }: EvalOptions, records: Records): Subject {
  if (file !== undefined && file !== '-' && !existsSync(file))
    fail('file-not-found', `there is no file ${file}`);
  if (file !== undefined || (on === undefined && isPiped())) {
    const text = readFileSync(file === undefined || file === '-' ? 0 : file, 'utf8');
    const where = file === undefined || file === '-' ? 'standard input' : file;
    return { response: text.trim() === '' ? undefined : jsonOrText(text, where), names: {}, where };
  }
  // The name of a run or a step may be that of a file, too.
  if (on !== undefined && /\.\w+$/.test(on) && existsSync(on))
    fail('no-record', `--on takes a recorded step, and ${on} is a file`, {
      hint: `batharon eval EXPRESSION ${on}`,
    });
  const where = parsePlace(on ?? 'last');
  const { open, step } = findStep(records, where);
  const response = attemptAt(step, where)?.response;
  return {
    response: response && open.value(response),
    names: objectOf(stepNames(open, step)),
    where: `the response of ${step.address} (run ${open.run.id})`,
  };
}

/** Whether something comes on standard input: a pipe or a file, not a terminal or nothing at all. */
function isPiped(): boolean {
  try {
    const input = fstatSync(0);
    return input.isFIFO() || input.isFile() || input.isSocket();
  } catch {
    return false;
  }
}

function jsonOrText(text: string, where: string): Value {
  try {
    return parseJson(text);
  } catch (error) {
    if (!/^\s*[[{"]/.test(text)) return text;
    if (!(error instanceof ProblemError)) throw error;
    throw new ProblemError({ ...error.problem, message: `${where}: ${error.problem.message}` });
  }
}

function refuse(text: string, { message, hint, span, code }: ProblemError['problem']): ExitCode {
  const terminal = errorTerminal();
  const { colours } = terminal;
  terminal.write(
    `${colours.red(message)} ${colours.dim(`(${code})`)}\n    ${colours.dim(text)}\n    ${' '.repeat(span?.[0] ?? 0)}${colours.bold('^')}\n`,
  );
  if (hint !== undefined) terminal.write(`    ${colours.cyan('hint:')} ${hint}\n`);
  return 2;
}

function printNodes(nodes: readonly (readonly [path: string, value: Value])[]): void {
  const terminal = outputTerminal();
  const { colours, width, wrapWidth } = terminal;
  const column = Math.min(Math.max(...nodes.map(([path]) => widthOf(path))), Math.floor(width * 0.6));
  for (const [path, value] of nodes) {
    const shown = brief(value, wrapWidth === Infinity ? 10_000 : 400);
    terminal.write(
      `${colours.cyan(pad(path, column))}  ${wrapWidth === Infinity ? shown : fit(shown, width - Math.max(column, widthOf(path)) - 2)}\n`,
    );
  }
}

function printValue(value: Value, asJson: boolean): void {
  const text = asJson ? undefined : plainText(value);
  writeData(`${text ?? writeJson(value, 2, 'text')}\n`);
}
