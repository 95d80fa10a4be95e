import { nameList, nearest } from '../../language/nearest.ts';
import type { Findings } from '../source/findings.ts';
import { projectKeys } from '../keys/project-keys.ts';
import {
  entryOf,
  type MapEntry,
  type MapNode,
  partOfScalar,
  type ScalarNode,
  type SourceNode,
  valueOf,
} from '../source/source-file.ts';
import { formOf } from '../source/node-data.ts';

/** The environment that is in force: the one that is wanted, the default, or the only one. */
export function chooseEnvironment(
  findings: Findings,
  root: MapNode,
  environments: readonly MapEntry[],
  { wanted, choose }: { readonly wanted: string | undefined; readonly choose: boolean },
): MapEntry | undefined {
  const names = environments.map(({ key }) => key.text);
  const defaultNode = valueOf(root, 'default-environment');
  const byDefault = defaultNode?.type === 'scalar' ? defaultNode.text : undefined;
  const name = wanted ?? byDefault ?? (names.length === 1 ? names[0] : undefined);
  if (name === undefined) {
    if (choose && names.length > 1) {
      findings.problem(
        valueOf(root, 'environments')!,
        'environment-needed',
        `the project has several environments (${nameList(names)}) but no default`,
        '--env NAME, or default-environment: in this file',
      );
    }
    return undefined;
  }
  const found = environments.find(({ key }) => key.text === name);
  if (!found) {
    const near = nearest(name, names);
    const hint = names.length > 0 ? `it has ${nameList(names)}` : 'environments: in this file describes them';
    findings.problem(
      wanted === undefined && defaultNode ? defaultNode : 0,
      'unknown-environment',
      `the project has no environment ${name}`,
      wanted === undefined
        ? findings.nearest(defaultNode, near, hint)
        : near === undefined
          ? hint
          : `the nearest is ${near}`,
    );
  }
  return found;
}

/** Parts of a project whose members have names of their own: an environment changes such as there are. */
const NAMED: Readonly<Record<string, string>> = {
  services: 'service',
  credentials: 'credential',
  secrets: 'secret',
  values: 'value',
};

/** The file with what an environment sets in the place of what it says itself. Keys are dotted; a map is merged into one. */
export function override(findings: Findings, root: MapNode, overrides: SourceNode): MapNode {
  if (overrides.type === 'empty') return root;
  if (overrides.type !== 'map') {
    findings.problem(
      overrides,
      'wrong-form',
      `an environment is a map of dotted keys, but this is ${formOf(overrides)}`,
      'services.kiln.url: https://api.emberfold.example/v1',
    );
    return root;
  }
  return overrides.entries.reduce((changed, { key, value }) => {
    const path = key.text.split('.');
    const [first = ''] = path;
    const settable = projectKeys.map(({ name }) => name).filter((name) => !name.includes('environment'));
    if (settable.includes(first)) return setPath(findings, changed, path, { key, value, above: [] });
    const near = nearest(first, settable);
    const services = valueOf(root, 'services');
    const [only, ...more] = services?.type === 'map' ? services.entries : [];
    // `url: https://…`, where there is one service
    const isOfOnly = only !== undefined && more.length === 0 && path.length === 1 && OF_SERVICES.has(first);
    const service =
      services?.type === 'map' && entryOf(services, first)
        ? `services.${key.text}`
        : isOfOnly
          ? `services.${only.key.text}.${first}`
          : undefined;
    if (service !== undefined) {
      findings.problem(
        key,
        'unknown-key',
        `an environment sets a part of ${isOfOnly ? 'a service' : `the service ${first}`} by its whole path`,
        findings.becomes(
          key,
          value.type === 'scalar' && path.length === 1 && !isOfOnly ? `${service}.url` : service,
        ),
      );
      return changed;
    }
    findings.problem(
      key,
      'unknown-key',
      `an environment can't set ${key.text}`,
      near === undefined
        ? 'services.NAME.url, secrets.NAME, values.NAME …'
        : findings.partBecomes(key, [0, first.length], near, `the nearest is ${near}`),
    );
    return changed;
  }, root);
}

/** What mostly is another in another environment. */
const OF_SERVICES: ReadonlySet<string> = new Set([
  'url',
  'as',
  'pace',
  'headers',
  'timeout',
  'proxy',
  'address',
]);

function setPath(
  findings: Findings,
  node: MapNode,
  [name = '', ...rest]: readonly string[],
  {
    key,
    value,
    above,
  }: { readonly key: ScalarNode; readonly value: SourceNode; readonly above: readonly string[] },
): MapNode {
  const known = node.entries.find((entry) => entry.key.text === name);
  const what = above.length === 1 ? NAMED[above[0]!] : undefined;
  if (!known && what !== undefined) {
    const names = node.entries.map((entry) => entry.key.text);
    const near = nearest(name, names);
    findings.problem(
      key,
      'unknown-key',
      `the project has no ${what} ${name} that an environment could change`,
      near !== undefined
        ? findings.becomes(key, [...above, near, ...rest].join('.'), `the nearest is ${near}`)
        : {
            hint: names.length > 0 ? `it has ${nameList(names)}` : `${above[0]}: in this file describes it`,
            name,
          },
    );
    return node;
  }
  const path = [...above, name];
  const inner = known?.value;
  let changed = value;
  if (rest.length > 0)
    changed = setPath(findings, inner?.type === 'map' ? inner : empty(key), rest, {
      key,
      value,
      above: path,
    });
  else if (
    value.type === 'map' &&
    (inner?.type === 'map' || NAMED[name] !== undefined) &&
    !isOfOtherKind(inner, value)
  )
    changed = value.entries.reduce(
      (merged, entry) =>
        setPath(findings, merged, [entry.key.text], { key: entry.key, value: entry.value, above: path }),
      inner?.type === 'map' ? inner : empty(key),
    );
  const own = key.text.endsWith(`.${name}`)
    ? partOfScalar(key, key.text.length - name.length)
    : { ...key, text: name };
  const entry: MapEntry = { key: known?.key ?? own, value: changed };
  return {
    ...node,
    entries: known ? node.entries.map((one) => (one === known ? entry : one)) : [...node.entries, entry],
  };
}

function empty({ range }: ScalarNode): MapNode {
  return { type: 'map', entries: [], range };
}

/** A credential of another kind takes the place of the one before it: its keys are others. */
function isOfOtherKind(before: SourceNode | undefined, after: MapNode): boolean {
  const [from, to] = [before && valueOf(before, 'kind'), valueOf(after, 'kind')];
  return from?.type === 'scalar' && to?.type === 'scalar' && from.text !== to.text;
}

/** An environment that moves a service elsewhere and leaves its secret would show that secret to somebody else. */
export function movedServices(
  findings: Findings,
  before: MapNode,
  after: MapNode,
  environment: MapEntry,
): void {
  for (const { key, value } of entries(valueOf(before, 'services'))) {
    const moved = entries(valueOf(after, 'services')).find((entry) => entry.key.text === key.text)?.value;
    const [from, to] = [originOf(value), moved && originOf(moved)];
    if (from === undefined || to === undefined || from === to) continue;
    const credential = moved && valueOf(moved, 'as');
    if (credential?.type !== 'scalar') continue;
    for (const secret of secretsOf(after, credential.text)) {
      const same = (root: MapNode): string | undefined => {
        const node = valueOf(valueOf(root, 'secrets') ?? root, secret);
        return node?.type === 'scalar' ? node.text : undefined;
      };
      if (same(before) === same(after)) {
        findings.warn(
          environment.key,
          'secret-moved',
          `the environment ${environment.key.text} moves ${key.text} from ${from} to ${to} and sends it the same secret ${secret}`,
          `secrets.${secret}: env OTHER_NAME, in the environment`,
        );
      }
    }
  }
}

function entries(node: SourceNode | undefined): readonly MapEntry[] {
  return node?.type === 'map' ? node.entries : [];
}

function originOf(service: SourceNode): string | undefined {
  const url = valueOf(service, 'url');
  return url?.type === 'scalar' && URL.canParse(url.text) ? new URL(url.text).origin : undefined;
}

function secretsOf(root: MapNode, credential: string): string[] {
  const node = entries(valueOf(root, 'credentials')).find(({ key }) => key.text === credential)?.value;
  return entries(node).flatMap(({ value }) =>
    value.type === 'scalar'
      ? [...value.text.matchAll(/secret\.([A-Za-z_]\w*)/g)].map(([, name]) => name!)
      : [],
  );
}
