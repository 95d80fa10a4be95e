import { memberOf, objectOf, Time, type Value } from '../language/values.ts';
import { ProblemError } from '../problems.ts';
import type { RunContext } from './context.ts';
import { needsOf } from './chain-needs.ts';
import { renderText } from './insert.ts';

/**
 * Before anything is sent: fetches the secrets that the chain can need, fills in the addresses of services, sets inputs
 * and values as names and holds inputs to their conditions. Throws `secret-missing`, `input-invalid`…
 */
export async function prepare(context: RunContext): Promise<void> {
  const { chain, masker, names, options, ports, project } = context;
  setInputs(context, options.inputs);
  for (const [name, value] of options.known ?? []) names.set(name, value);
  for (const name of needsOf(chain, project, options.signInChains).secrets) {
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
