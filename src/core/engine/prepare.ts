import { type Chain, type Step, stepsIn, type Template, type Typed } from '../chain/model.ts';
import type { Credential, Project } from '../chain/project.ts';
import { childrenOf, type Tree } from '../language/tree.ts';
import { memberOf, objectOf, Time, type Value } from '../language/values.ts';
import { ProblemError } from '../problems.ts';
import type { RunContext } from './context.ts';
import { renderText } from './insert.ts';

/**
 * Before anything is sent: fetches the secrets that the chain can need, fills in the addresses of services, sets inputs
 * and values as names and holds inputs to their conditions. Throws `secret-missing`, `input-invalid`…
 */
export async function prepare(context: RunContext): Promise<void> {
  const { chain, masker, names, options, ports, project } = context;
  setInputs(context, options.inputs);
  for (const [name, value] of options.known ?? []) names.set(name, value);
  for (const name of neededSecrets(chain, project, options.signInChains)) {
    const secret = await ports.secrets.get(name);
    if (!masker.add(secret, `secret ${name}`)) context.tooShort.add(`secret ${name}`);
    context.secrets.set(name, secret);
  }
  if (chain.usesXPath || project.usesXPath) context.xpath = await ports.formats.xpath();
  for (const [label, secret] of options.past?.learned ?? []) masker.add(secret, label);
  for (const { jar, url, fields } of options.past?.cookies ?? []) await ports.cookies.store(jar, url, fields);
  fillAddresses(context);
  if (!options.left) checkInputs(context);
}

/** Sets what a chain has from the beginning: values of the project, the environment, the run, and its inputs. */
export function setInputs(context: RunContext, inputs: Readonly<Record<string, Value>>): void {
  const { chain, masker, names, options, project } = context;
  for (const [name, value] of Object.entries(project.values)) names.set(name, value);
  if (project.environment !== undefined) names.set('environment', project.environment);
  names.set(
    'run',
    objectOf([
      ['id', options.id],
      ['started', new Time(context.started)],
    ]),
  );
  for (const { name, kind } of chain.inputs) {
    const value = memberOf(inputs, name);
    if (value === undefined) continue;
    if (kind === 'secret' && typeof value === 'string' && !masker.add(value, `secret ${name}`))
      context.tooShort.add(`the secret input ${name}`);
    names.set(name, value);
  }
}

/** Holds inputs to their conditions. Throws `input-invalid`. */
export function checkInputs(context: RunContext): void {
  for (const { must, name, kind } of context.chain.inputs) {
    if (!must) continue;
    const held = must.expression.test(context.environment(undefined));
    if (held) continue;
    const came = kind === 'secret' ? '' : `: ${must.expression.whatCame(context.environment(undefined))}`;
    throw new ProblemError({
      code: 'input-invalid',
      message: `the input ${name} must be such that ${must.expression.text}${came}`,
      instead: `--give ${name}=…`,
      place: must.at(),
    });
  }
}

export function fillAddresses(context: RunContext): void {
  const inserter = context.inserter(
    context.environment(undefined, undefined, (name) => context.sentName(name)),
  );
  for (const [name, { url, at }] of context.project.services) {
    const text = url === 'practice' ? context.options.practice! : renderText(inserter, url);
    if (!URL.canParse(text) || !/^https?:$/.test(new URL(text).protocol)) {
      throw new ProblemError({
        code: 'not-a-url',
        message: `the URL of the service ${name} came out as no address of HTTP: '${text}'`,
        place: at,
      });
    }
    hideInHost(context, new URL(text));
    context.serviceUrls.set(name, text);
    context.serviceBases.set(name, text.replace(/\/+$/, ''));
    context.serviceOrigins.set(name, new URL(text).origin);
  }
}

/** Names of hosts are told in small letters, so a secret in one is too. */
function hideInHost({ masker, secrets }: RunContext, { hostname }: URL): void {
  for (const [name, secret] of secrets) {
    const lower = secret.toLowerCase();
    if (lower !== '' && hostname.includes(lower)) masker.addSpelling(lower, `secret ${name}`);
  }
}

/** The secrets that some step of the chain can need: those it inserts, and those of the credentials of its calls. */
function neededSecrets(
  chain: Chain,
  project: Project,
  signInChains: ReadonlyMap<string, Chain> | undefined,
): Set<string> {
  const visited = new Set<string>();
  const needed = new Set<string>();
  const inTree = (tree: Tree): void => {
    if (tree.type === 'query' && tree.base.type === 'name' && tree.base.name === 'secret') {
      const selector = tree.segments[0]?.selectors[0];
      if (selector?.type === 'name') needed.add(selector.name);
      else for (const name of project.secrets.keys()) needed.add(name);
    } else if (tree.type === 'name' && tree.name === 'secret') {
      for (const name of project.secrets.keys()) needed.add(name);
    }
    if (!(tree.type === 'query' && tree.base.type === 'name')) childrenOf(tree).forEach(inTree);
  };
  const inTemplate = ({ parts }: Template): void => {
    for (const part of parts) if (typeof part === 'object') inTree(part.expression.tree);
  };
  const inTyped = (typed: Typed): void => {
    if (typed.type === 'insertion') inTree(typed.insertion.expression.tree);
    else if (typed.type === 'template') inTemplate(typed.template);
    else if (typed.type === 'list') typed.items.forEach(inTyped);
    else if (typed.type === 'object') typed.members.forEach(([, member]) => inTyped(member));
  };
  const inCredential = (credential: Credential | undefined): void => {
    if (!credential) return;
    credential.fields.forEach(inTemplate);
    const { recipe, signIn } = credential;
    for (const { value } of [...(recipe?.headers ?? []), ...(signIn?.headers ?? [])]) inTemplate(value);
    for (const { value } of recipe?.let ?? []) inTree(value.expression.tree);
    for (const [, typed] of signIn?.inputs ?? []) inTyped(typed);
    const chainOfIt = signInChains?.get(credential.name);
    if (chainOfIt && !visited.has(credential.name)) {
      visited.add(credential.name);
      [...chainOfIt.steps, ...chainOfIt.cleanup].forEach(inStep);
    }
  };
  const inStep = (step: Step): void => {
    stepsIn(step).forEach(inStep);
    step.undo.forEach(inStep);
    if (step.type === 'follow') step.inputs.forEach(([, typed]) => inTyped(typed));
    if (step.type !== 'call') return;
    const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
    for (const { value } of [...(service?.headers ?? []), ...step.headers]) inTemplate(value);
    for (const template of [service?.proxy, service?.tls?.ca, service?.tls?.cert, service?.tls?.key])
      if (template) inTemplate(template);
    step.query.forEach(({ value }) => inTyped(value));
    if (step.body?.type === 'json') inTyped(step.body.value);
    if (step.body?.type === 'form') step.body.fields.forEach(({ value }) => inTyped(value));
    if (step.body?.type === 'text' || step.body?.type === 'xml') inTemplate(step.body.text);
    if (step.body?.type === 'multipart')
      for (const { content } of step.body.parts) if ('text' in content) inTyped(content.text);
    if (step.target.type === 'url') inTemplate(step.target.url);
    if (step.target.type === 'service') inTemplate(step.target.path);
    const as = step.as ?? service?.as;
    if (as !== undefined) inCredential(project.credentials.get(as));
    if (step.idempotency?.key) inTemplate(step.idempotency.key);
    if (step.callback?.signedBy !== undefined) inCredential(project.credentials.get(step.callback.signedBy));
  };
  for (const { url } of project.services.values()) if (url !== 'practice') inTemplate(url);
  [...chain.steps, ...chain.cleanup].forEach(inStep);
  return needed;
}
