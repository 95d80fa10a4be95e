import { readFileSync } from 'node:fs';
import type { Project } from '../../core/chain/project.ts';
import type { ExitCode } from '../../core/events.ts';
import { SHORTEST_NEEDLE, LockedStore, projectFolder } from '../../api/locked-secrets.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { askHidden } from '../terminal/prompts.ts';
import { errorTerminal, outputTerminal } from '../terminal/terminal.ts';
import { pad } from '../terminal/text-width.ts';

/** `batharon secret set NAME`: the value by prompt or standard input, never as an argument. */
export function setSecret(name: string, options: { env?: string }): Promise<ExitCode> {
  return guarded(async () => {
    refuseName(name);
    const { project } = loadProject(options.env, false);
    const typed = process.stdin.isTTY
      ? await askHidden(`${name}: `)
      : readFileSync(0, 'utf8').replace(/\r?\n$/, '');
    if (typed === undefined || typed === '')
      fail('secret-missing', `nothing was given for ${name}; nothing is changed`);
    refuseEnvironment(project, options.env);
    const replaced = await new LockedStore(projectFolder(project), process.env).setSecret(
      name,
      typed,
      options.env,
    );
    const where = options.env === undefined ? '' : ` for the environment ${options.env}`;
    errorTerminal().write(
      `${name} is locked${where}${replaced ? ', in the place of what was locked before' : ''}.${usedAs(project, name)}\n`,
    );
    if (typed.length < SHORTEST_NEEDLE)
      errorTerminal().write(
        `warning it has fewer than ${SHORTEST_NEEDLE} characters: it is masked where it is inserted, but not where it occurs elsewhere\n`,
      );
    return 0;
  });
}

/** Throws `unknown-environment`. */
function refuseEnvironment({ environments }: Project, wanted: string | undefined): void {
  if (wanted === undefined || environments.includes(wanted)) return;
  const near = nearest(wanted, environments);
  fail('unknown-environment', `the project has no environment ${wanted}`, {
    hint: near === undefined ? `it has ${environments.join(', ') || 'none'}` : `--env ${near}`,
  });
}

function refuseName(name: string): void {
  if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name))
    fail('name-invalid', `${name} can't be the name of a secret: a letter, then letters, digits and _`);
}

function usedAs({ secrets }: Project, name: string): string {
  const used = [...secrets.values()].some(({ from, where }) => from === 'locked' && where === name);
  return used ? '' : ` Nothing uses it yet: secrets: with ${name}: locked in batharon.yaml does.`;
}

/** `batharon secret list`: names and where each comes from; never a value. */
export function listSecrets(options: { env?: string }): Promise<ExitCode> {
  return guarded(async () => {
    const terminal = outputTerminal();
    const { project } = loadProject(options.env, false);
    const stored = new LockedStore(projectFolder(project), process.env).stored();
    const rows = [...project.secrets.values()].map(({ name, from, where }): [string, string, string] => [
      name,
      from === 'locked' && where === name ? 'locked' : `${from} ${where}`.trim(),
      from === 'locked'
        ? (storedWords(stored.filter((one) => one.name === where)) ?? `missing: batharon secret set ${where}`)
        : from === 'env'
          ? (process.env[where] ?? '') !== ''
            ? 'set'
            : 'not set'
          : '',
    ]);
    const used = new Set(
      [...project.secrets.values()].flatMap(({ from, where }) => (from === 'locked' ? [where] : [])),
    );
    for (const name of new Set(stored.map((one) => one.name)))
      if (!used.has(name))
        rows.push([
          name,
          'locked',
          `${storedWords(stored.filter((one) => one.name === name))!}, used by nothing`,
        ]);
    if (rows.length === 0) errorTerminal().write('The project has no secrets.\n');
    const widths = [0, 1].map((i) => Math.max(0, ...rows.map((row) => row[i]!.length)));
    for (const [name, source, state] of rows)
      terminal.write(`${pad(name, widths[0]!)}  ${pad(source, widths[1]!)}  ${state}`.trimEnd() + '\n');
    return 0;
  });
}

/** "stored for all, live", or nothing. */
function storedWords(stored: readonly { readonly environment?: string }[]): string | undefined {
  if (stored.length === 0) return undefined;
  const words = stored.map(({ environment }) => environment ?? 'all').join(', ');
  return words === 'all' ? 'stored' : `stored for ${words}`;
}

/** `batharon secret remove NAME`. */
export function removeSecret(name: string, options: { env?: string }): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const locked = new LockedStore(projectFolder(project), process.env);
    const names = [
      ...new Set(
        locked
          .stored()
          .map((one) => `${one.name}${one.environment === undefined ? '' : ` --env ${one.environment}`}`),
      ),
    ];
    const where = options.env === undefined ? '' : ` for the environment ${options.env}`;
    if (!(await locked.removeSecret(name, options.env)))
      fail('secret-missing', `no secret is locked under the name ${name}${where}`, {
        hint: names.length > 0 ? `locked: ${names.join(', ')}` : 'batharon secret set NAME',
      });
    errorTerminal().write(`${name} is forgotten${where}.\n`);
    return 0;
  });
}
