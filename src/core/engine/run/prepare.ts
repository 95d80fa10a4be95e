import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { needsOf } from './chain-needs.ts';
import { checkInputs, setInputs, setValues } from '../scope/inputs.ts';
import { renderText } from '../scope/insert.ts';

/**
 * Before anything is sent: fetches the secrets that the chain can need, fills in the addresses of services, sets inputs
 * and values as names and holds inputs to their conditions. Throws `secret-missing`, `input-invalid`…
 */
export async function prepare(context: RunContext): Promise<void> {
  const { chain, masker, names, options, ports, project } = context;
  const needs = needsOf(chain, project, options.signInChains);
  for (const name of needs.secrets) {
    const secret = await ports.secrets.get(name);
    if (!masker.add(secret, `secret ${name}`)) context.tooShort.add(`secret ${name}`);
    context.secrets.set(name, secret);
  }
  const chains = [...needs.chains];
  const holds =
    project.descriptions !== undefined || [project, ...chains].some(({ schemas }) => schemas.size > 0);
  if (ports.validator && holds) context.contract.validator ??= await ports.validator();
  if ([project, ...chains].some(({ readsMarkup }) => readsMarkup))
    context.markup = await ports.formats.markup();
  for (const [label, secret] of options.past?.learned ?? []) masker.add(secret, label);
  for (const { jar, url, fields, isNew } of options.past?.cookies ?? []) {
    if (isNew) ports.cookies.empty(jar);
    await ports.cookies.store(jar, url, fields);
  }
  setValues(context);
  fillAddresses(context);
  setInputs(context, options.inputs);
  for (const [name, value] of options.known ?? []) names.set(name, value);
  if (!options.left) checkInputs(context);
}

/** Sets the addresses of services, which may insert secrets. Throws `not-a-url`. */
export function fillAddresses(context: RunContext): void {
  const inserter = context.inserter(
    context.environment(undefined, undefined, (name) => context.sentName(name)),
  );
  for (const [name, { url, at }] of context.project.services) {
    const text = url === 'practice' ? context.options.practice! : renderText(inserter, url);
    if (!URL.canParse(text) || !/^https?:$/.test(new URL(text).protocol)) {
      throw new ProblemError({
        code: 'not-a-url',
        message: `the URL of the service ${name} is not an HTTP URL: '${text}'`,
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
