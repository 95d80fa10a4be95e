import { BIT, TEXT } from '../../language/kinds.ts';
import type { StaticName } from '../../language/scope.ts';
import { ChainScope } from '../fields/chain-scope.ts';
import { RUN_KIND } from '../fields/step-kinds.ts';
import { spotText } from '../fields/contract-findings.ts';
import { FieldReader } from '../fields/fields.ts';
import type { Finding } from '../source/finding.ts';
import { Findings, inOrder } from '../source/findings.ts';
import { chainKeys } from '../keys/chain-keys.ts';
import type { Chain } from '../model.ts';
import type { Project } from '../project.ts';
import type { DescribedLines, FileFinding, FollowedFile, StepReader } from './step-reader.ts';
import { optional } from '../optional.ts';
import { describedSchemas, readShapes, schemaNamed } from './read-shapes.ts';
import { readDefinitions } from './read-definitions.ts';
import { readInputs } from './read-inputs.ts';
import { readSteps } from './read-steps.ts';
import { type MapNode, SourceFile, type SourceNode, valueOf } from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';
import { withLine, withWholeLines } from '../source/whole-lines.ts';
import { isSecretTyped, kindOfTyped } from '../fields/typed-values.ts';

/** A chain file as read: what it means, if nothing is wrong, and all that was found. */
export interface ReadChain {
  readonly file: SourceFile;
  readonly chain?: Chain;
  readonly findings: readonly Finding[];
  /** What was found in files that the chain file names. */
  readonly elsewhere: readonly FileFinding[];
  /** Its calls that a description knows. */
  readonly contracts: DescribedLines;
}

/** Reads a file by its path as it stands in the file `near`. */
export interface ReadFile {
  (path: string, near: string): { readonly path: string; readonly text: string } | undefined;
  /** Whether a file is there, whatever is in it. */
  readonly exists?: (path: string, near: string) => boolean;
  /** The columns of a file of CSV; undefined if there is none, or none that can be read. */
  readonly columns?: (path: string, near: string) => readonly string[] | undefined;
}

/**
 * Reads and checks a chain file, with everything that can be known before a request is sent. `files` reads what the chain
 * file names by its path.
 */
export function readChain(
  path: string,
  text: string,
  project: Project,
  more: {
    readonly files?: ReadFile | undefined;
    readonly following?: readonly string[] | undefined;
    /** What recorded responses say, where a description says otherwise. */
    readonly recorded?: Project['recordedKinds'] | undefined;
  } = {},
): ReadChain {
  const read = readWith(path, text, project, more);
  const isDescribed = project.descriptions !== undefined && project.ignoresDescribedKinds === undefined;
  if (!isDescribed || !read.findings.some(({ level }) => level === 'problem')) return read;
  // What is wrong only by what a description says of the kinds of responses is no more certain than that.
  const without = readWith(path, text, { ...project, ignoresDescribedKinds: true }, more);
  const isStrict = read.contracts.some(({ level }) => level === 'strict');
  const recordedKinds = isStrict ? more.recorded : undefined;
  const recorded = recordedKinds && readWith(path, text, { ...project, recordedKinds }, more);
  return byDescription(read, without, recorded);
}

function readWith(
  path: string,
  text: string,
  project: Project,
  {
    files,
    following = [],
  }: { readonly files?: ReadFile | undefined; readonly following?: readonly string[] | undefined },
): ReadChain {
  const { keys, ...read } = readOnce(path, text, project, { files, ancestors: following });
  if (read.findings.length === 0) return read;
  const traps = read.findings.filter((finding) => finding.fix ?? (read.file.isBroken && finding.instead));
  const findings =
    traps.length === 0 ? read.findings : withRest(read.findings, path, text, { project, files });
  const again = (other: string): ReadChain => readOnce(path, other, project, { files, ancestors: following });
  return {
    ...read,
    findings: withWholeLines(findings, { text, read: again, keys: keys(), own: read.findings }),
  };
}

/** What was found with the kinds of descriptions, where some of it would not have been found without. */
function byDescription(read: ReadChain, without: ReadChain, recorded: ReadChain | undefined): ReadChain {
  const key = ({ code, message, place }: Finding): string =>
    `${place?.line}:${place?.column} ${code} ${message}`;
  const known = new Set(without.findings.map(key));
  // A recorded response gives the lie to what only a description says.
  const still = recorded && new Set(recorded.findings.map(({ place }) => `${place?.line}:${place?.column}`));
  const found = read.findings.flatMap((finding): Finding[] => {
    if (finding.level === 'warning' || known.has(key(finding))) return [];
    const { fix: _, ...rest } = finding;
    const code = finding.code === 'unknown-member' ? 'not-described' : 'not-as-described';
    // A name that is used further down came from a step above.
    const call = read.contracts.findLast(({ line }) => line <= (finding.place?.line ?? 0));
    const isPlaced = /\(\S+:\d+\)$/.test(rest.message);
    const message = call && !isPlaced ? `${rest.message} (${spotText(call.at)})` : rest.message;
    const isOutdated = still?.has(`${finding.place?.line}:${finding.place?.column}`) === false;
    if (isOutdated)
      return [
        { ...rest, code, message: `${message}, and a recorded response is otherwise`, level: 'warning' },
      ];
    return [
      call?.level === 'strict' ? { ...rest, code, message } : { ...rest, code, message, level: 'warning' },
    ];
  });
  if (found.length === 0) return without;
  const { chain, ...others } = without;
  const isWrong = found.some(({ level }) => level === 'problem');
  return {
    ...others,
    findings: inOrder([...without.findings, ...found]),
    ...(isWrong || !chain ? {} : { chain }),
  };
}

/**
 * What YAML misreads on one line often hides what stands below it, so the rest is looked for in the text as it should
 * stand. Lines keep their numbers; what is found on a mended line is left for when it has been mended.
 */
function withRest(
  findings: readonly Finding[],
  path: string,
  text: string,
  { project, files }: { readonly project: Project; readonly files?: ReadFile | undefined },
): Finding[] {
  const found = [...findings];
  const lines = new Set(findings.map(({ place }) => place?.line));
  let mended = text;
  let last = findings;
  // Where YAML is broken, by the line as it should stand.
  const [broken] = findings;
  if (broken?.fix === undefined && broken?.instead !== undefined && broken.place) {
    mended = withLine(text, broken.place.line, broken.instead);
    // How the line was meant is a guess, so what would follow from another reading of it is left out.
    const at = broken.place.line;
    const more = broken.instead.split('\n').length - 1;
    last = readOnce(path, mended, project, { files }).findings.flatMap((one): Finding[] => {
      if (one.name !== undefined || OF_STRUCTURE.has(one.code)) return [];
      const { place } = one;
      if (more === 0 || !place || place.line <= at) return [one];
      // Of a line that became several the others are part of it.
      return place.line <= at + more ? [] : [{ ...one, place: { ...place, line: place.line - more } }];
    });
    if (last.some(({ code }) => code === 'yaml')) return found;
  }
  for (let round = 0; round < 20; round++) {
    const fixes = last.flatMap(({ fix }) => fix ?? []).toSorted((a, b) => b.range[0] - a.range[0]);
    if (fixes.length === 0) break;
    for (const { range, text: written } of fixes)
      mended = mended.slice(0, range[0]) + written + mended.slice(range[1]);
    last = readOnce(path, mended, project, { files }).findings;
    const isNew = ({ fix, place }: Finding): boolean => fix !== undefined && !lines.has(place?.line);
    // Offsets are those of the mended text, so these are written only when the lines above have been.
    found.push(...last.filter(isNew).map(withoutFix));
    for (const { fix, place } of last) if (fix) lines.add(place?.line);
  }
  return inOrder([...found, ...last.filter(({ place }) => !lines.has(place?.line))]);
}

/** What a line that was meant otherwise could bring about elsewhere. */
const OF_STRUCTURE: ReadonlySet<Finding['code']> = new Set([
  'unknown-key',
  'missing-key',
  'kinds-differ',
  'unused-input',
]);

function withoutFix(finding: Finding): Finding {
  const { fix: _, ...rest } = finding;
  return rest;
}

function readOnce(
  path: string,
  text: string,
  project: Project,
  {
    files,
    ancestors = [],
  }: { readonly files?: ReadFile | undefined; readonly ancestors?: readonly string[] | undefined } = {},
): ReadChain & { readonly keys: () => ReadonlySet<string> } {
  const file = new SourceFile(path, text);
  const findings = new Findings(file);
  findings.notSecret = project.mask.never;
  const elsewhere: FileFinding[] = [];
  const following = [...ancestors, path];
  const reader: StepReader = {
    fields: new FieldReader(findings),
    project,
    used: new Set(),
    contracts: [],
    following,
    ...(files
      ? {
          files: {
            read: (other) => files(other, path),
            exists: (other) => files.exists?.(other, path) ?? true,
            columns: (other) => files.columns?.(other, path),
            made: new Set(),
            found: elsewhere,
          },
          follow: (other) => readFollowed(other, project, files, following),
        }
      : {}),
  };
  const chain = file.root.type === 'map' || findings.all.length === 0 ? readRoot(reader, file) : undefined;
  const sorted = findings.sorted();
  const broken = [...sorted, ...elsewhere.map(({ finding }) => finding)].some(
    ({ level }) => level === 'problem',
  );
  return {
    file,
    findings: sorted,
    keys: () => findings.keys(),
    elsewhere,
    contracts: reader.contracts,
    ...(broken || !chain ? {} : { chain }),
  };
}

/** Reads a chain that another one follows. One that is followed already is not read again: that is a circle. */
function readFollowed(
  path: string,
  project: Project,
  files: ReadFile,
  following: readonly string[],
): FollowedFile | undefined {
  const other = files(path, following.at(-1)!);
  if (!other) return undefined;
  if (following.includes(other.path)) return { path: other.path, findings: [] };
  const read = readChain(other.path, other.text, project, { files, following });
  return {
    path: other.path,
    ...optional('chain', read.chain),
    findings: [...read.findings.map((finding) => ({ file: read.file, finding })), ...read.elsewhere],
  };
}

function readRoot(reader: StepReader, file: SourceFile): Chain | undefined {
  const { fields, project } = reader;
  const root = checkStructure(fields.findings, file.root, chainKeys, 'a chain file');
  if (!root) return undefined;
  const shapes = readShapes(fields, valueOf(root, 'shapes'), reader.files);
  fields.schemas.find = (name) =>
    schemaNamed(name, {
      shapes: [shapes, project.shapes],
      files: reader.files,
      described: describedSchemas(project),
    });
  const functions = readChainDefinitions(fields, root, project);
  const scope = new ChainScope(undefined, functions);
  announceKept(file.root, scope, fields);
  scope.give('run', RUN_KIND);
  scope.give('environment', project.environment === undefined ? { bits: BIT.text | BIT.nothing } : TEXT);
  for (const [name, value] of project.values)
    scope.set(name, { kind: kindOfTyped(value), ...(isSecretTyped(value) ? { secret: true } : {}) }, 0);
  const inputs = readInputs(reader, valueOf(root, 'inputs'), scope);
  const withInputs: StepReader = { ...reader, inputs };
  const steps = readSteps(withInputs, valueOf(root, 'steps') ?? root, scope, '');
  const stepsNode = valueOf(root, 'steps');
  if (stepsNode?.type === 'list' && stepsNode.items.length === 0) {
    fields.findings.problem(
      stepsNode,
      'wrong-form',
      'a chain has at least one step',
      'steps:\n  - call: GET kiln /racks',
    );
  }
  const cleanupNode = valueOf(root, 'cleanup');
  const cleanup = cleanupNode
    ? readSteps({ ...withInputs, ending: true }, cleanupNode, certainScope(scope), 'cleanup')
    : [];
  const results = readResults(reader, valueOf(root, 'results'), scope);
  for (const input of inputs) {
    if (!reader.used.has(input.name)) {
      fields.findings.all.push({
        level: 'warning',
        code: 'unused-input',
        message: `nothing uses the input ${input.name}`,
        place: input.at,
      });
    }
  }
  const tags = valueOf(root, 'tags');
  return {
    file: file.path,
    title: fields.literal(valueOf(root, 'chain')) ?? '',
    ...optional('about', fields.literal(valueOf(root, 'about'))),
    tags: tags?.type === 'list' ? tags.items.flatMap((tag) => (tag.type === 'scalar' ? [tag.text] : [])) : [],
    ...(fields.literal(valueOf(root, 'run')) === 'only-by-name' ? { onlyByName: true as const } : {}),
    inputs,
    steps,
    cleanup,
    results,
    readsMarkup: fields.readsMarkup,
    schemas: fields.schemas.used,
    iterationsOf: fields.iterationsOf,
    secrets: fields.secrets,
    uses: reader.used,
    usesSteps: [...reader.used].some((name) => name.startsWith('steps.')),
  };
}

/** What the chain defines besides the project: each expression knows its arguments, and what all chains have. */
function readChainDefinitions(fields: FieldReader, root: MapNode, project: Project): Project['functions'] {
  const given = (name: string): StaticName | undefined => {
    const value = project.values.get(name);
    if (value) return { kind: kindOfTyped(value), secret: isSecretTyped(value) };
    if (name === 'run') return { kind: RUN_KIND };
    return name === 'environment' ? { kind: { bits: BIT.text | BIT.nothing } } : undefined;
  };
  return readDefinitions(fields, valueOf(root, 'define'), given, project.functions);
}

/** In cleanup a name that was never kept skips its step, so no name is in doubt there. */
function certainScope(scope: ChainScope): ChainScope {
  const sure = scope.branch();
  for (const [name, { kind, secret, line }] of scope.entries())
    sure.set(name, { kind, ...optional('secret', secret) }, line);
  return sure;
}

/** Tells the scope on which lines names are kept, so that one used too early is not called unknown. */
function announceKept(node: SourceNode, scope: ChainScope, fields: FieldReader): void {
  if (node.type === 'list') node.items.forEach((item) => announceKept(item, scope, fields));
  if (node.type !== 'map') return;
  for (const { key, value } of node.entries) {
    if (key.text === 'keep' && value.type === 'map') {
      for (const kept of value.entries) scope.announce(kept.key.text, fields.findings.place(kept.key).line);
    } else if (key.text === 'name' && value.type === 'scalar') {
      scope.announce(value.text, fields.findings.place(value).line);
    } else if ((key.text === 'gather' || key.text === 'start') && value.type === 'map') {
      for (const kept of value.entries) scope.announce(kept.key.text, fields.findings.place(kept.key).line);
    } else if (key.text === 'steps' || key.text === 'else' || key.text === 'cleanup') {
      announceKept(value, scope, fields);
    }
  }
}

function readResults(reader: StepReader, node: SourceNode | undefined, scope: ChainScope): Chain['results'] {
  if (node?.type !== 'map') return [];
  reader.fields.used.clear();
  const results = node.entries.flatMap(({ key, value }) => {
    const expressions = reader.fields.expressions(value, scope.outside());
    return expressions ? [{ name: key.text, value: expressions, at: reader.fields.findings.place(key) }] : [];
  });
  reader.fields.used.forEach((name) => reader.used.add(name));
  return results;
}
