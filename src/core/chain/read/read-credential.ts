import { credentialNamed } from '../source/key-definition.ts';
import { ANY, BIT, objectKind, TEXT } from '../../language/kinds.ts';
import { keysMeantBy } from '../source/key-habits.ts';
import { valueMeantBy } from '../source/value-habits.ts';
import { nearest } from '../../language/nearest.ts';
import { formOf, plainOf } from '../source/node-data.ts';
import type { StaticScope } from '../../language/scope.ts';
import { ChainScope } from '../fields/chain-scope.ts';
import {
  credentialKeys,
  credentialKindKey,
  credentialOriginsKey,
  credentialTestKey,
  GRANT_NEEDS,
  type OAuthGrant,
  originIn,
  CREDENTIAL_KINDS,
  type CredentialKind,
} from '../keys/credential-keys.ts';
import type { FieldReader } from '../fields/fields.ts';
import { namesValueOnly } from '../fields/plain-secrets.ts';
import type { Findings } from '../source/findings.ts';
import type { Template } from '../model.ts';
import type { Credential, Recipe, SignInChain } from '../project.ts';
import { readFields } from './read-call.ts';
import { optional } from '../optional.ts';
import {
  type MapEntry,
  type MapNode,
  type ScalarNode,
  type SourceNode,
  valueOf,
} from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';

/** The request as a recipe sees it. */
const REQUEST_KIND = objectKind({
  method: TEXT,
  path: TEXT,
  query: TEXT,
  url: TEXT,
  body: { bits: BIT.text | BIT.bytes },
});

/** Reads one credential of the project file. */
export function readCredential(
  fields: FieldReader,
  { key, value }: MapEntry,
  scope: StaticScope,
): [string, Omit<Credential, 'secrets'>][] {
  const { findings } = fields;
  const name = key.text;
  if (credentialNamed(name) === 'nobody')
    findings.problem(key, 'name-invalid', `${name} is the word for sending no credential`);
  if (value.type !== 'map') {
    findings.problem(
      value.type === 'empty' ? key : value,
      'wrong-form',
      `a credential is a map of keys, but this is ${formOf(value)}`,
      credentialKeys.bearer.example,
    );
    return [];
  }
  const kind = readKind(fields, key, value);
  if (!kind) return [];
  const { keys } = credentialKeys[kind];
  const before = findings.all.length;
  checkStructure(
    findings,
    value,
    [credentialKindKey, credentialOriginsKey, credentialTestKey, ...keys],
    `a credential of kind ${kind}`,
  );
  const isSound = findings.all.length === before;
  const templates = new Map<string, Template>();
  for (const { name: field, secret } of keys) {
    const node = valueOf(value, field);
    const template =
      node?.type === 'scalar' && field !== 'renew-when' ? fields.template(node, scope) : undefined;
    if (!node || !template) continue;
    if (kind === 'bearer' && field === 'token' && node.type === 'scalar') schemeTwice(findings, node);
    if (field === 'issuer' || field.endsWith('-url')) wholeUrl(findings, node, template);
    if (secret) literalSecret(findings, node, name, { field, template });
    templates.set(field, template);
  }
  if (kind === 'oauth2' && isSound) checkGrant(findings, key, value, templates);
  return [
    [
      name,
      {
        name,
        kind,
        fields: templates,
        origins: originsOf(valueOf(value, 'origins')),
        ...optional('test', fields.literal(valueOf(value, 'test'))),
        ...(kind === 'recipe' ? { recipe: readRecipe(fields, value, scope) } : {}),
        ...(kind === 'chain' ? { signIn: readSignIn(fields, value, scope) } : {}),
        at: findings.place(key),
      },
    ],
  ];
}

/** `token: Bearer ${secret.desk}`: the kind of the credential puts that word before it. */
function schemeTwice(findings: Findings, node: ScalarNode): void {
  const scheme = /^(?:Authorization:\s*)?(?:Bearer|Token)\s+/i.exec(node.text)?.[0];
  if (scheme === undefined) return;
  findings.problem(
    node,
    'wrong-form',
    `${scheme.trim()} is put before the token of a credential of kind bearer, so it would stand there twice`,
    findings.partBecomes(node, [0, scheme.length], '', 'the token alone'),
  );
}

/** An endpoint is a whole URL: a credential may be used with several services. */
function wholeUrl(findings: Findings, node: SourceNode, { parts: [first] }: Template): void {
  if (typeof first !== 'string' || /^https?:\/\//.test(first)) return;
  const service = /^ {2}([\w-]+):/m.exec(findings.file.text.split(/^services:/m)[1] ?? '')?.[1];
  const isHost = /^[\w-]+(?:\.[\w-]+)+(?=[/:]|$)/.test(first);
  const isPath = first.startsWith('/') && service !== undefined && node.type === 'scalar';
  findings.problem(
    node,
    'not-a-url',
    'an endpoint is a whole URL',
    isHost && node.type === 'scalar'
      ? findings.becomes(node, `https://${node.text}`)
      : isPath
        ? findings.becomes(node, `\${services.${service}.url}${node.text}`)
        : 'https://…, or ${services.NAME.url}/…',
  );
}

function originsOf(node: SourceNode | undefined): ReadonlySet<string> {
  const items = node?.type === 'list' ? node.items : [];
  return new Set(items.flatMap((item) => (item.type === 'scalar' ? (originIn(item.text) ?? []) : [])));
}

function readKind(fields: FieldReader, key: MapEntry['key'], value: MapNode): CredentialKind | undefined {
  const kindNode = valueOf(value, 'kind');
  const text = fields.literal(kindNode);
  const kind = CREDENTIAL_KINDS.find((one) => one === text);
  if (kind) return kind;
  const longer = CREDENTIAL_KINDS.find((one) => text?.startsWith(`${one}-`) || text?.startsWith(`${one}_`));
  if (kindNode && longer) {
    fields.findings.problem(
      kindNode,
      'wrong-form',
      `there is no credential of kind ${text!}`,
      fields.findings.becomes(kindNode, longer),
    );
    return undefined;
  }
  const other =
    value.entries.find(
      (entry) =>
        entry.value.type === 'scalar' && CREDENTIAL_KINDS.some((kind) => kind === plainOf(entry.value)),
    ) ??
    value.entries.find(
      ({ key: { text } }) =>
        keysMeantBy(text).includes('kind') || nearest(text.toLowerCase(), ['kind']) !== undefined,
    );
  if (!kindNode && other) {
    fields.findings.problem(
      other.key,
      'unknown-key',
      `a credential has no key ${other.key.text}`,
      fields.findings.becomes(other.key, 'kind', 'the nearest is kind'),
    );
  } else if (!kindNode) {
    fields.findings.problem(
      key,
      'missing-key',
      `the credential ${key.text} has no kind`,
      `kind: ${CREDENTIAL_KINDS.join(', ')}`,
    );
  } else {
    const near =
      valueMeantBy('credential', text ?? '', CREDENTIAL_KINDS) ?? nearest(text ?? '', CREDENTIAL_KINDS);
    fields.findings.problem(
      kindNode,
      'wrong-form',
      `there is no credential of kind ${text ?? ''}`,
      fields.findings.nearest(kindNode, near, CREDENTIAL_KINDS.join(', ')),
    );
  }
  return undefined;
}

/** The secret part of a credential is inserted, never written out. */
function literalSecret(
  findings: Findings,
  node: SourceNode,
  name: string,
  { field, template: { parts } }: { readonly field: string; readonly template: Template },
): void {
  if (parts.some((part) => typeof part === 'object')) return;
  const inserted =
    node.type === 'scalar'
      ? /^\$?\{{0,2}\s*(secret\.[A-Za-z]\w*)\s*\}{0,2}$/.exec(node.text)?.[1]
      : undefined;
  if (inserted !== undefined) {
    findings.problem(
      node,
      'expression-in-text',
      `this field is text, so it would be these characters, not the secret`,
      findings.becomes(node, `\${${inserted}}`),
    );
    return;
  }
  if (namesValueOnly(findings, node)) return;
  // A variable, as other programs insert one, from which a secret of the file comes; or a secret of the credential's name.
  const variable = /^[$%{<\s]*(?:env\.|process\.env\.)?([A-Z][A-Z0-9_]*)[}%>\s]*$/.exec(
    node.type === 'scalar' ? node.text : '',
  )?.[1];
  const known = (source: string): string | undefined =>
    new RegExp(`^ +${source}\\s*$`, 'm').exec(findings.file.text)?.[1];
  const secret =
    (variable === undefined ? undefined : known(`([A-Za-z]\\w*): +env +${variable}`)) ??
    known(`(${name.replace(/\W/g, '')}): +(?:env|file|locked|command)\\b.*`);
  if (secret !== undefined) {
    findings.problem(
      node,
      'secret-in-plain-text',
      `the ${field} of ${name} is in the file in plain text`,
      findings.becomes(node, `\${secret.${secret}}`),
    );
    return;
  }
  findings.problem(
    node,
    'secret-in-plain-text',
    `the ${field} of ${name} is in the file in plain text`,
    `${field}: \${secret.${name}}, and under secrets: ${name}: env NAME_OF_A_VARIABLE, or locked`,
  );
}

/** What a grant needs: its own keys, and endpoints by themselves or from the issuer. */
function checkGrant(
  findings: Findings,
  key: MapEntry['key'],
  value: MapNode,
  templates: ReadonlyMap<string, Template>,
): void {
  const [only] = templates.get('grant')?.parts ?? [];
  if (typeof only !== 'string' || !Object.hasOwn(GRANT_NEEDS, only)) return;
  const grant = only as OAuthGrant;
  const endpoints = {
    'token-url': true,
    'device-url': grant === 'device',
    'authorize-url': grant === 'browser',
  };
  const needed = [
    ...GRANT_NEEDS[grant],
    ...Object.entries(endpoints).flatMap(([name, needs]) =>
      needs && !templates.has('issuer') ? [name] : [],
    ),
    ...(grant === 'client-credentials' && !templates.has('signing-key') ? ['client-secret'] : []),
  ];
  for (const name of needed) {
    if (templates.has(name) || valueOf(value, name)) continue;
    const hint = name.endsWith('-url') ? `${name}: https://…, or issuer: https://…` : `${name}: …`;
    findings.problem(
      key,
      'missing-key',
      `the credential ${key.text} has no ${name}, and grant ${grant} needs one`,
      hint,
    );
  }
}

function readRecipe(fields: FieldReader, node: MapNode, scope: StaticScope): Recipe {
  const names = new ChainScope();
  const inside: StaticScope = {
    ...scope,
    lookup: (name) =>
      name === 'request' ? { kind: REQUEST_KIND } : (names.lookup(name) ?? scope.lookup(name)),
    names: () => ['request', ...names.names(), ...scope.names()],
  };
  const letNode = valueOf(node, 'let');
  const bound = (letNode?.type === 'map' ? letNode.entries : []).flatMap(({ key, value }) => {
    if (!fields.name(key)) return [];
    const expression = fields.expression(value, inside);
    const { kind = ANY, secret = false } = expression?.expression ?? {};
    const before = names.define(key.text, { kind, secret }, fields.findings.place(key).line);
    if (before !== undefined)
      fields.findings.problem(key, 'name-twice', `the name ${key.text} is already defined on line ${before}`);
    return expression ? [{ name: key.text, value: expression }] : [];
  });
  return { let: bound, headers: readFields({ fields }, valueOf(node, 'headers'), inside) };
}

function readSignIn(fields: FieldReader, node: MapNode, scope: StaticScope): SignInChain {
  const inputsNode = valueOf(node, 'inputs');
  const inputs = (inputsNode?.type === 'map' ? inputsNode.entries : []).flatMap(({ key, value }) => {
    const typed = fields.typed(value, scope);
    return typed ? [[key.text, typed] as const] : [];
  });
  // What the results of the chain are is known when it is read; here every name may be one.
  const results: StaticScope = {
    ...scope,
    lookup: (name) => scope.lookup(name) ?? { kind: TEXT, secret: true },
  };
  const renewNode = valueOf(node, 'renew-when');
  const response = new ChainScope().after(undefined);
  return {
    file: fields.literal(valueOf(node, 'file')) ?? '',
    inputs,
    headers: readFields({ fields }, valueOf(node, 'headers'), results),
    ...optional('renewWhen', renewNode && fields.condition(renewNode, response)),
  };
}
