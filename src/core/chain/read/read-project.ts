import { isZone, nearestZone } from '../../language/dates.ts';
import { ANY, maybe, TEXT } from '../../language/kinds.ts';
import type { StaticScope } from '../../language/scope.ts';
import { RUN_KIND } from '../fields/step-kinds.ts';
import { sentNames } from '../fields/names-elsewhere.ts';
import { FieldReader } from '../fields/fields.ts';
import { formOf } from '../source/node-data.ts';
import type { Finding } from '../source/finding.ts';
import { Findings } from '../source/findings.ts';
import { callbacksKeys, projectKeys, recordsKeys, SIZE } from '../keys/project-keys.ts';
import type { Typed } from '../model.ts';
import { type CallbackSetting, GUARDS, type Project, SECRET_SOURCES, type SecretSource } from '../project.ts';
import { plainSecret } from '../fields/plain-secrets.ts';
import { readCredential } from './read-credential.ts';
import { NO_SHAPES } from '../../contract/shapes.ts';
import { readShapes, schemaNamed } from './read-shapes.ts';
import { readDefinitions } from './read-definitions.ts';
import { readService } from './read-service.ts';
import { readTeam } from './read-team.ts';
import { kindOfTyped } from '../fields/typed-values.ts';
import { optional } from '../optional.ts';
import { chooseEnvironment, movedServices, override } from './read-environments.ts';
import { type MapEntry, type MapNode, SourceFile, type SourceNode, valueOf } from '../source/source-file.ts';
import { withWholeLines } from '../source/whole-lines.ts';
import { checkStructure } from '../source/structure.ts';

/** A project without a file: full URLs, no credentials. */
export const NO_PROJECT: Project = {
  functions: new Map(),
  services: new Map(),
  credentials: new Map(),
  secrets: new Map(),
  environments: [],
  guard: 'none',
  values: new Map(),
  zone: 'UTC',
  mask: { also: new Set(), never: new Set() },
  readsMarkup: false,
  shapes: NO_SHAPES,
  schemas: new Map(),
};

export interface ReadProject {
  readonly file: SourceFile;
  readonly project: Project;
  readonly findings: readonly Finding[];
}

/**
 * Reads and checks a project file with the overrides of one environment: that of `environment`, or the default one.
 * `choose` says that a run wants one, so that several without a default are a problem.
 */
export function readProject(
  path: string,
  text: string,
  environment: string | undefined,
  choose: boolean,
): ReadProject {
  const { keys, ...read } = readOnce(path, text, environment, choose);
  if (read.findings.length === 0) return read;
  const again = (other: string): ReadProject => readOnce(path, other, environment, choose);
  return {
    ...read,
    findings: withWholeLines(read.findings, { text, read: again, keys: keys(), own: read.findings }),
  };
}

function readOnce(
  path: string,
  text: string,
  environment: string | undefined,
  choose: boolean,
): ReadProject & { readonly keys: () => ReadonlySet<string> } {
  const file = new SourceFile(path, text);
  const findings = new Findings(file);
  const project = readRoot(new FieldReader(findings), file, environment, choose);
  return { file, project, findings: findings.sorted(), keys: () => findings.keys() };
}

function readRoot(
  fields: FieldReader,
  file: SourceFile,
  wanted: string | undefined,
  choose: boolean,
): Project {
  const { findings } = fields;
  if (file.root.type === 'empty' && findings.all.length === 0) return { ...NO_PROJECT, file: file.path };
  const written = checkStructure(findings, file.root, projectKeys, 'a project file');
  if (!written) return { ...NO_PROJECT, file: file.path };
  const environments = entries(valueOf(written, 'environments'));
  const environment = chooseEnvironment(findings, written, environments, { wanted, choose });
  const root = environment ? override(findings, written, environment.value) : written;
  for (const other of environments)
    if (other !== environment && other.value.type !== 'map' && other.value.type !== 'empty')
      findings.problem(
        other.value,
        'wrong-form',
        `an environment is a map of dotted keys, but this is ${formOf(other.value)}`,
        'services.kiln.url: https://api.emberfold.example/v1',
      );
  // What an environment sets has the form that it has elsewhere in the file.
  const set = root.entries.filter((entry) => !written.entries.includes(entry));
  if (set.length > 0) checkStructure(findings, { ...root, entries: set }, projectKeys, 'a project file');
  if (environment) movedServices(findings, written, root, environment);
  const mask = readMask(valueOf(root, 'mask'));
  findings.notSecret = mask.never;

  const secrets = new Map(entries(valueOf(root, 'secrets')).flatMap((entry) => readSecret(fields, entry)));
  const serviceNodes = entries(valueOf(root, 'services'));
  const names = sentNames(
    [...secrets.keys()],
    serviceNodes.map(({ key }) => key.text),
  );
  const shapes = readShapes(fields, valueOf(root, 'shapes'));
  fields.schemas.find = (name) => schemaNamed(name, { shapes: [shapes] });
  const functions = readProjectDefinitions(fields, root);
  const values = readValues(fields, valueOf(root, 'values'), functions);
  const scope: StaticScope = {
    lookup: (name) => {
      if (name === 'environment') return { kind: TEXT };
      if (name === 'run') return { kind: RUN_KIND };
      return values.has(name) ? { kind: kindOfTyped(values.get(name)!) } : names.lookup(name);
    },
    names: () => ['environment', 'run', ...names.names, ...values.keys()],
    functions,
    response: { missing: '$ is the response of a step, and there is none in the project file' },
  };
  const credentials = new Map(
    entries(valueOf(root, 'credentials')).flatMap((entry) =>
      withSecrets(fields, () => readCredential(fields, entry, scope)),
    ),
  );
  const services = new Map(
    serviceNodes.flatMap((entry) =>
      withSecrets(fields, () => readService(fields, entry, scope, credentials)),
    ),
  );
  const zoneNode = valueOf(root, 'zone');
  const zone = fields.literal(zoneNode) ?? 'UTC';
  if (zoneNode && !isZone(zone))
    findings.problem(
      zoneNode,
      'unknown-zone',
      `unknown time zone '${zone}'`,
      findings.nearest(zoneNode, nearestZone(zone), 'a name of the IANA list, such as Europe/Lisbon, or UTC'),
    );
  return {
    file: file.path,
    services,
    credentials,
    secrets,
    environments: environments.map(({ key }) => key.text),
    ...optional('environment', environment?.key.text),
    guard: GUARDS.find((one) => one === fields.literal(valueOf(root, 'guard'))) ?? 'none',
    values,
    functions,
    zone: isZone(zone) ? zone : 'UTC',
    mask,
    readsMarkup: fields.readsMarkup,
    shapes,
    schemas: fields.schemas.used,
    ...optional('team', readTeam(fields, valueOf(root, 'team'), scope)),
    ...optional('callbacks', readCallbacks(fields, valueOf(root, 'callbacks'))),
    ...optional('records', readRecords(fields, valueOf(root, 'records'))),
  };
}

/** Named parts of the project, each with the secrets that it inserts. */
function withSecrets<T extends object>(
  fields: FieldReader,
  read: () => readonly [string, T][],
): [string, T & { readonly secrets: ReadonlySet<string> }][] {
  const { value, secrets } = fields.withSecrets(read);
  return value.map(([name, part]) => [name, { ...part, secrets }]);
}

function readRecords(fields: FieldReader, node: SourceNode | undefined): Project['records'] {
  if (node?.type !== 'map') return undefined;
  checkStructure(fields.findings, node, recordsKeys, 'records');
  const runs = Number(fields.literal(valueOf(node, 'runs')) ?? NaN);
  const [, number = '', unit = ''] = SIZE.exec(fields.literal(valueOf(node, 'size')) ?? '') ?? [];
  return {
    ...(runs >= 1 ? { runs } : {}),
    ...(number === ''
      ? {}
      : { size: Number(number) * { KB: 1e3, MB: 1e6, GB: 1e9 }[unit as 'KB' | 'MB' | 'GB'] }),
  };
}

function readCallbacks(fields: FieldReader, node: SourceNode | undefined): CallbackSetting | undefined {
  if (node?.type !== 'map') return undefined;
  checkStructure(fields.findings, node, callbacksKeys, 'callbacks');
  const listen = fields.literal(valueOf(node, 'listen')) ?? '127.0.0.1:0';
  const [, host = '127.0.0.1', port = '0'] = /^(.*):(\d+)$/.exec(listen) ?? [];
  return {
    host,
    port: Number(port),
    ...optional('publicUrl', fields.literal(valueOf(node, 'public-url'))),
  };
}

function entries(node: SourceNode | undefined): readonly MapEntry[] {
  return node?.type === 'map' ? node.entries : [];
}

// ---- parts

/** Definitions stand above values and may use them, but those are computed once, and their kinds are not known yet. */
function readProjectDefinitions(fields: FieldReader, root: MapNode): Project['functions'] {
  const values = new Set(entries(valueOf(root, 'values')).map(({ key }) => key.text));
  return readDefinitions(fields, valueOf(root, 'define'), (name) => {
    if (name === 'environment') return { kind: maybe(TEXT) };
    if (name === 'run') return { kind: RUN_KIND };
    return values.has(name) ? { kind: ANY } : undefined;
  });
}

/** The values of the project, each of which may use those above it. */
function readValues(
  fields: FieldReader,
  node: SourceNode | undefined,
  functions: Project['functions'],
): Map<string, Typed> {
  const values = new Map<string, Typed>();
  const scope: StaticScope = {
    lookup: (name) => {
      const known = values.get(name);
      if (known) return { kind: kindOfTyped(known) };
      return name === 'environment' ? { kind: TEXT } : name === 'run' ? { kind: RUN_KIND } : undefined;
    },
    names: () => ['environment', 'run', ...values.keys()],
    functions,
    response: { missing: 'there is no response in the project file' },
  };
  for (const { key, value } of entries(node)) {
    if (!fields.name(key)) continue;
    if (value.type === 'scalar') plainSecret(fields.findings, value, key.text);
    const typed = fields.typed(value, scope);
    if (typed) values.set(key.text, typed);
  }
  return values;
}

/** Names of secret members that the project adds, and those that it takes away. */
function readMask(node: SourceNode | undefined): Project['mask'] {
  const words = (name: string): ReadonlySet<string> => {
    const list = node && valueOf(node, name);
    return new Set(
      list?.type === 'list' ? list.items.flatMap((item) => (item.type === 'scalar' ? [item.text] : [])) : [],
    );
  };
  return { also: words('also'), never: words('never') };
}

/** What a source says behind its word, and whether it has to. */
const SOURCE_FORMS: Readonly<Record<SecretSource['from'], RegExp>> = {
  env: /^[A-Za-z_][A-Za-z0-9_]*$/,
  file: /./s,
  command: /./s,
  ask: /^/,
  locked: /^(?:[A-Za-z][A-Za-z0-9_]*)?$/,
};

/** What another way of naming a variable or file means here; undefined for what may be the secret itself. */
function sourceMeant(text: string): string | undefined {
  // Words in capitals name a variable; a key has figures, or no _ between words.
  const variable =
    /^\$\{?([A-Z_][A-Z0-9_]*)\}?$|^(?:environment|env-var|variable|env[:.]|ENV|process\.env\.|os\.environ\.?)[\s:.]*([A-Z_][A-Z0-9_]*)$|^([A-Z]{2,}(?:_[A-Z]{2,})+)$|^(?:env|getenv|os\.getenv)\s*[([{=]\s*["']?([A-Z_][A-Z0-9_]*)["']?[)\]}]?$/.exec(
      text,
    );
  if (variable) return `env ${variable[1] ?? variable[2] ?? variable[3] ?? variable[4]!}`;
  const behind = /^([A-Z_][A-Z0-9_]*) env$/.exec(text)?.[1];
  if (behind !== undefined) return `env ${behind}`;
  const dashed = /^env ([A-Z][A-Z0-9_-]*)$/.exec(text)?.[1];
  if (dashed?.includes('-') === true) return `env ${dashed.replaceAll('-', '_')}`;
  const command = /^(?:\$\((.+)\)|`(.+)`|(?:exec|run|shell|cmd|sh)[:\s]\s*(.+))$/.exec(text);
  if (command) return `command ${command[1] ?? command[2] ?? command[3]!}`;
  const file = /^(?:from-file|path|@|file[:=]|(?:file|read|load|open)\()\s*["']?([\w./~-]+)["']?\)?$/.exec(
    text,
  );
  if (file) return `file ${file[1]!}`;
  // A name that ends as the file of a key does is hardly a key.
  const isFile = /^(?:\.{0,2}|~)\/[\w./-]+$|^[\w./-]+\.(?:pem|key|crt|p12|pfx|txt|json|env|jwk)$/.test(text);
  if (isFile) return `file ${text}`;
  if (/^(?:lock|keychain|keyring|stored|vault|safe)$/i.test(text)) return 'locked';
  return /^(?:prompt|input|prompted)$/i.test(text) ? 'ask' : undefined;
}

function readSecret(fields: FieldReader, { key, value }: MapEntry): [string, SecretSource][] {
  if (!fields.name(key) || value.type !== 'scalar') return [];
  const [, word, where = ''] = /^([a-z]+)(?:\s+(.+))?$/s.exec(value.text) ?? [];
  const from = SECRET_SOURCES.find((one) => one === word);
  if (!from || !SOURCE_FORMS[from].test(where)) {
    const meant = sourceMeant(value.text);
    if (meant !== undefined) {
      fields.findings.problem(
        value,
        'wrong-form',
        `the secret ${key.text} does not say in these words where it comes from`,
        fields.findings.becomes(value, meant),
      );
      return [[key.text, { name: key.text, from: 'ask', where: '', at: fields.findings.place(key) }]];
    }
    // The text may be the secret itself, so it is not repeated.
    fields.findings.problem(
      value,
      // What is inserted is none.
      from === undefined && !/^\$\{[^{}]*\}$/.test(value.text) ? 'secret-in-plain-text' : 'wrong-form',
      `the secret ${key.text} does not say where it comes from`,
      `${key.text}: env NAME_OF_A_VARIABLE, file PATH, command WORDS, ask, or locked`,
    );
    return [[key.text, { name: key.text, from: 'ask', where: '', at: fields.findings.place(key) }]];
  }
  // What a command is given can be a key itself.
  if (from === 'command') plainSecret(fields.findings, value, 'command');
  const source = where === '' && from === 'locked' ? key.text : where;
  return [[key.text, { name: key.text, from, where: source, at: fields.findings.place(key) }]];
}
