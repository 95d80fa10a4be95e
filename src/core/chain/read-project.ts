import { isZone } from '../language/dates.ts';
import { TEXT } from '../language/kinds.ts';
import { nameList, nearest } from '../language/nearest.ts';
import type { StaticScope } from '../language/scope.ts';
import { type Value } from '../language/values.ts';
import { RESERVED_NAMES, RUN_KIND, sentNames } from './chain-scope.ts';
import { FieldReader } from './fields.ts';
import { type Finding, Findings } from './findings.ts';
import { credentialKeys, credentialKindKey, projectKeys, serviceKeys } from './keys.ts';
import {
  type Credential,
  CREDENTIAL_KINDS,
  type Project,
  type SecretSource,
  type Service,
  type Template,
} from './model.ts';
import { plainSecret } from './plain-secrets.ts';
import { readFields, readTimeouts } from './read-call.ts';
import { literalOf } from './read-chain.ts';
import { optional } from './read-outcome.ts';
import {
  type MapEntry,
  type MapNode,
  type ScalarNode,
  SourceFile,
  type SourceNode,
  valueOf,
} from './source.ts';
import { checkStructure, formOf } from './structure.ts';

/** A project without a file: full URLs, no credentials. */
export const NO_PROJECT: Project = {
  services: new Map(),
  credentials: new Map(),
  secrets: new Map(),
  environments: [],
  values: {},
  zone: 'UTC',
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
  const file = new SourceFile(path, text);
  const findings = new Findings(file);
  const project = readRoot(new FieldReader(findings), file, environment, choose);
  return { file, project, findings: findings.sorted() };
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
  const environment = chooseEnvironment(findings, written, environments, wanted, choose);
  const root = environment ? override(findings, written, environment.value) : written;
  if (environment) movedServices(findings, written, root, environment);

  const secrets = new Map(entries(valueOf(root, 'secrets')).flatMap((entry) => readSecret(fields, entry)));
  const serviceNodes = entries(valueOf(root, 'services'));
  const names = sentNames(
    [...secrets.keys()],
    serviceNodes.map(({ key }) => key.text),
  );
  const values = readValues(fields, valueOf(root, 'values'));
  const scope: StaticScope = {
    lookup: (name) => {
      if (name === 'environment') return { kind: TEXT };
      if (name === 'run') return { kind: RUN_KIND };
      return Object.hasOwn(values, name) ? { kind: TEXT } : names.lookup(name);
    },
    names: () => ['environment', 'run', ...names.names, ...Object.keys(values)],
    answer: { missing: '$ is the answer of a step, and there is none in the project file' },
  };
  const credentials = new Map(
    entries(valueOf(root, 'credentials')).flatMap((entry) => readCredential(fields, entry, scope)),
  );
  const services = new Map(serviceNodes.flatMap((entry) => readService(fields, entry, scope, credentials)));
  const zoneNode = valueOf(root, 'zone');
  const zone = fields.literal(zoneNode) ?? 'UTC';
  if (zoneNode && !isZone(zone))
    findings.problem(
      zoneNode,
      'unknown-zone',
      `there is no time zone '${zone}'`,
      'a name of the IANA list, such as Europe/Lisbon, or UTC',
    );
  return {
    file: file.path,
    services,
    credentials,
    secrets,
    environments: environments.map(({ key }) => key.text),
    ...optional('environment', environment?.key.text),
    values,
    zone: isZone(zone) ? zone : 'UTC',
  };
}

function entries(node: SourceNode | undefined): readonly MapEntry[] {
  return node?.type === 'map' ? node.entries : [];
}

// ---- environments

function chooseEnvironment(
  findings: Findings,
  root: MapNode,
  environments: readonly MapEntry[],
  wanted: string | undefined,
  choose: boolean,
): MapEntry | undefined {
  const names = environments.map(({ key }) => key.text);
  const usualNode = valueOf(root, 'default-environment');
  const usual = usualNode?.type === 'scalar' ? usualNode.text : undefined;
  const name = wanted ?? usual ?? (names.length === 1 ? names[0] : undefined);
  if (name === undefined) {
    if (choose && names.length > 1) {
      findings.problem(
        valueOf(root, 'environments')!,
        'environment-needed',
        `the project has the environments ${nameList(names)} and no default`,
        '--env NAME, or default-environment: in this file',
      );
    }
    return undefined;
  }
  const found = environments.find(({ key }) => key.text === name);
  if (!found) {
    const near = nearest(name, names);
    const instead =
      near !== undefined
        ? `the nearest is ${near}`
        : names.length > 0
          ? `it has ${nameList(names)}`
          : 'environments: in this file describes them';
    findings.problem(
      wanted === undefined && usualNode ? usualNode : 0,
      'unknown-environment',
      `the project has no environment ${name}`,
      instead,
    );
  }
  return found;
}

/** The file with some values in the place of others; each override is a dotted key. */
function override(findings: Findings, root: MapNode, overrides: SourceNode): MapNode {
  if (overrides.type === 'empty') return root;
  if (overrides.type !== 'map') {
    findings.problem(
      overrides,
      'wrong-form',
      `an environment is a map of dotted keys, and this is ${formOf(overrides)}`,
      'services.kiln.url: https://api.emberfold.example/v1',
    );
    return root;
  }
  return overrides.entries.reduce((changed, { key, value }) => {
    const path = key.text.split('.');
    if (
      path[0] === 'environments' ||
      path[0] === 'default-environment' ||
      !projectKeys.some(({ name }) => name === path[0])
    ) {
      const near = nearest(
        path[0]!,
        projectKeys.map(({ name }) => name),
      );
      findings.problem(
        key,
        'unknown-key',
        `an environment can't set ${key.text}`,
        near === undefined ? 'services.NAME.url, secrets.NAME, values.NAME …' : `the nearest is ${near}`,
      );
      return changed;
    }
    return setPath(changed, path, key, value);
  }, root);
}

function setPath(node: MapNode, [name, ...rest]: string[], key: ScalarNode, value: SourceNode): MapNode {
  const known = node.entries.find((entry) => entry.key.text === name);
  const inner: MapNode =
    known?.value.type === 'map' ? known.value : { type: 'map', entries: [], range: key.range };
  const changed = rest.length === 0 ? value : setPath(inner, rest, key, value);
  const entry: MapEntry = { key: known?.key ?? { ...key, text: name! }, value: changed };
  return {
    ...node,
    entries: known ? node.entries.map((one) => (one === known ? entry : one)) : [...node.entries, entry],
  };
}

/** An environment that moves a service elsewhere and leaves its secret would show that secret to somebody else. */
function movedServices(findings: Findings, before: MapNode, after: MapNode, environment: MapEntry): void {
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
        findings.remark(
          environment.key,
          'secret-moved',
          `the environment ${environment.key.text} moves ${key.text} from ${from} to ${to} and sends it the same secret ${secret}`,
          `secrets.${secret}: env OTHER_NAME, in the environment`,
        );
      }
    }
  }
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

// ---- parts

function readValues(fields: FieldReader, node: SourceNode | undefined): Record<string, Value> {
  const nothing: StaticScope = {
    lookup: () => undefined,
    names: () => [],
    answer: { missing: 'there is no answer in the project file' },
  };
  return Object.fromEntries(
    entries(node).flatMap(({ key, value }) => {
      if (!fields.name(key, RESERVED_NAMES)) return [];
      if (value.type === 'scalar') plainSecret(fields.findings, value, key.text);
      const typed = fields.typed(value, nothing);
      const literal = typed && literalOf(typed);
      return literal === undefined ? [] : [[key.text, literal]];
    }),
  );
}

function readSecret(fields: FieldReader, { key, value }: MapEntry): [string, SecretSource][] {
  if (!fields.name(key, RESERVED_NAMES) || value.type !== 'scalar') return [];
  const [, from, where] = /^(env|file)\s+(.+)$/.exec(value.text) ?? [];
  if (where === undefined || (from === 'env' && !/^[A-Za-z_][A-Za-z0-9_]*$/.test(where))) {
    // The text may be the secret itself, so it is not repeated.
    fields.findings.problem(
      value,
      'wrong-form',
      `the secret ${key.text} does not say where it comes from`,
      `${key.text}: env NAME_OF_A_VARIABLE, or ${key.text}: file PATH`,
    );
    return [];
  }
  return [
    [key.text, { name: key.text, from: from as SecretSource['from'], where, at: fields.findings.place(key) }],
  ];
}

function readCredential(
  fields: FieldReader,
  { key, value }: MapEntry,
  scope: StaticScope,
): [string, Credential][] {
  const { findings } = fields;
  const name = key.text;
  if (name === 'nobody')
    findings.problem(key, 'name-invalid', 'nobody is the word for sending no credential');
  if (value.type !== 'map') {
    findings.problem(
      value.type === 'empty' ? key : value,
      'wrong-form',
      `a credential is a map of keys, and this is ${formOf(value)}`,
      credentialKeys.bearer.example,
    );
    return [];
  }
  const kindNode = valueOf(value, 'kind');
  const kindText = fields.literal(kindNode);
  const kind = CREDENTIAL_KINDS.find((one) => one === kindText);
  if (!kind) {
    if (!kindNode)
      findings.problem(
        key,
        'missing-key',
        `the credential ${name} has no kind`,
        `kind: ${CREDENTIAL_KINDS.join(', ')}`,
      );
    else {
      const near = nearest(kindText ?? '', CREDENTIAL_KINDS);
      findings.problem(
        kindNode,
        'wrong-form',
        `there is no credential of kind ${kindText ?? ''}`,
        near === undefined ? CREDENTIAL_KINDS.join(', ') : `the nearest is ${near}`,
      );
    }
    return [];
  }
  const { keys } = credentialKeys[kind];
  checkStructure(findings, value, [credentialKindKey, ...keys], `a credential of kind ${kind}`);
  const templates = new Map<string, Template>();
  for (const { name: field } of keys) {
    const node = valueOf(value, field);
    const template = node?.type === 'scalar' ? fields.template(node, scope) : undefined;
    if (!node || !template) continue;
    if (['password', 'token', 'value', 'client-secret'].includes(field))
      literalSecret(findings, node, name, field, template);
    templates.set(field, template);
  }
  return [[name, { name, kind, fields: templates, at: findings.place(key) }]];
}

/** The secret part of a credential is inserted, never written out. */
function literalSecret(
  findings: Findings,
  node: SourceNode,
  name: string,
  field: string,
  { parts }: Template,
): void {
  if (parts.some((part) => typeof part === 'object')) return;
  findings.problem(
    node,
    'secret-in-plain-text',
    `the ${field} of ${name} stands readable in the file`,
    `${field}: \${secret.${name}}, and under secrets: ${name}: env NAME_OF_A_VARIABLE`,
  );
}

function readService(
  fields: FieldReader,
  { key, value }: MapEntry,
  scope: StaticScope,
  credentials: ReadonlyMap<string, Credential>,
): [string, Service][] {
  const { findings } = fields;
  const name = key.text;
  if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name)) {
    findings.problem(
      key,
      'name-invalid',
      `${name} can't be the name of a service: a letter, then letters, digits and _`,
    );
  }
  const node = checkStructure(
    findings,
    value.type === 'empty' ? { type: 'map', entries: [], range: key.range } : value,
    serviceKeys,
    'a service',
  );
  if (!node) return [];
  const asNode = valueOf(node, 'as');
  const as = fields.literal(asNode);
  if (asNode && as !== undefined && as !== 'nobody' && !credentials.has(as)) {
    const near = nearest(as, [...credentials.keys(), 'nobody']);
    findings.problem(
      asNode,
      'unknown-credential',
      `the project has no credential ${as}`,
      near !== undefined ? `the nearest is ${near}` : 'credentials: in this file describes who signs in',
    );
  }
  const urlNode = valueOf(node, 'url');
  const url =
    urlNode?.type === 'scalar'
      ? readServiceUrl(fields, urlNode, scope, as !== undefined && as !== 'nobody')
      : undefined;
  const headers = readFields({ fields }, valueOf(node, 'headers'), scope);
  const timeouts = readTimeouts({ fields }, valueOf(node, 'timeout'), scope);
  return [
    [
      name,
      { name, url: url ?? 'practice', ...optional('as', as), headers, timeouts, at: findings.place(key) },
    ],
  ];
}

function readServiceUrl(
  fields: FieldReader,
  node: ScalarNode,
  scope: StaticScope,
  signs: boolean,
): Service['url'] | undefined {
  if (node.text === 'practice') return 'practice';
  const template = fields.template(node, scope, { hint: false });
  if (!template) return undefined;
  const [only] = template.parts;
  if (template.parts.length !== 1 || typeof only !== 'string') return template;
  if (!/^https?:\/\//.test(only) || !URL.canParse(only)) {
    fields.findings.problem(
      node,
      'not-a-url',
      `'${only}' is not the URL of a service`,
      'https://api.emberfold.example/v1',
    );
    return template;
  }
  const url = new URL(only);
  if (url.username !== '' || url.password !== '') {
    fields.findings.problem(
      node,
      'secret-in-plain-text',
      'user and password stand readable in this URL',
      'a credential of kind basic',
    );
  }
  if (url.search !== '' || url.hash !== '') {
    fields.findings.problem(
      node,
      'wrong-form',
      'the URL of a service has no query and no fragment',
      'query: on the calls',
    );
  }
  if (signs && url.protocol === 'http:' && !isThisMachine(url.hostname)) {
    fields.findings.remark(
      node,
      'plain-http',
      `a credential goes over plain http to ${url.host}, where others can read it`,
      only.replace('http:', 'https:'),
    );
  }
  return template;
}

/** Whether a host name is that of this machine, which no network lies in between. */
export function isThisMachine(host: string): boolean {
  return (
    host === 'localhost' || host.endsWith('.localhost') || /^127(?:\.\d+){3}$/.test(host) || host === '[::1]'
  );
}
