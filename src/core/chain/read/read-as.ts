import { nearest } from '../../language/nearest.ts';
import type { StaticScope } from '../../language/scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import type { CarriedCredentials, Typed } from '../model.ts';
import { optional } from '../optional.ts';
import type { Credential } from '../project.ts';
import { bareName, credentialNamed } from '../source/key-definition.ts';
import type { SourceNode } from '../source/source-file.ts';

/**
 * Reads `as`: a credential by its name, several of them, or one with inputs for the chain that signs in. `hint` is what to do
 * about a name that the project has no credential of.
 */
export function readCarried(
  fields: FieldReader,
  node: SourceNode | undefined,
  credentials: ReadonlyMap<string, Credential>,
  { scope, hint }: { readonly scope: StaticScope; readonly hint: string },
): CarriedCredentials {
  if (!node) return {};
  const inputs = new Map<string, readonly (readonly [string, Typed])[]>();
  const names: string[] = [];
  const known = (at: SourceNode, written: string): void => {
    const name = credentialNamed(written)!;
    if (name !== 'nobody' && !credentials.has(name)) {
      const near = /^(?:no|off|false|null|nothing|anonymous)$/i.test(name)
        ? 'none'
        : nearest(bareName(name), [...credentials.keys(), 'nobody']);
      fields.findings.problem(
        at,
        'unknown-credential',
        `the project has no credential ${name}`,
        fields.findings.nearestName(at, near, hint),
      );
    } else if (names.includes(name))
      fields.findings.problem(
        at,
        'wrong-form',
        `the credential ${name} stands here twice`,
        'keep one of them',
      );
    names.push(name);
  };
  for (const one of node.type === 'list' ? node.items : [node]) {
    if (one.type === 'scalar') known(one, one.text);
    if (one.type !== 'map') continue;
    for (const { key, value } of one.entries) {
      known(key, key.text);
      if (value.type === 'empty') continue;
      const credential = credentials.get(key.text);
      if (value.type !== 'map' || (credential && !credential.signIn)) {
        fields.findings.problem(
          value,
          'wrong-form',
          credential && !credential.signIn
            ? `${key.text} is of kind ${credential.kind}, and only a credential of kind chain takes inputs`
            : `the inputs of ${key.text} are a map`,
          `as: { ${key.text}: { scope: read } }`,
        );
        continue;
      }
      inputs.set(
        key.text,
        value.entries.flatMap((entry): (readonly [string, Typed])[] => {
          const typed = fields.typed(entry.value, scope);
          return typed ? [[entry.key.text, typed]] : [];
        }),
      );
    }
  }
  sentTogether(fields, node, names, credentials);
  const [as, ...also] = names;
  return {
    ...optional('as', as),
    ...(also.length === 0 ? {} : { also }),
    ...(inputs.size === 0 ? {} : { asInputs: inputs }),
  };
}

/** Kinds that are sent in the Authorization header. */
const IN_AUTHORIZATION: ReadonlySet<string> = new Set(['basic', 'bearer', 'digest', 'oauth2']);

/** Two credentials in one header: the second would take the place of the first. */
function sentTogether(
  { findings }: FieldReader,
  node: SourceNode,
  names: readonly string[],
  credentials: ReadonlyMap<string, Credential>,
): void {
  if (names.length > 1 && names.includes('nobody'))
    findings.problem(node, 'wrong-form', 'none beside a credential says two things', 'one of them');
  const inAuthorization = names.filter((name) => {
    const kind = credentials.get(name)?.kind;
    return kind !== undefined && IN_AUTHORIZATION.has(kind);
  });
  if (inAuthorization.length > 1)
    findings.problem(
      node,
      'wrong-form',
      `${inAuthorization.join(' and ')} are both sent in Authorization, which holds one`,
      'one of them; another by a credential of kind header, cookie or query',
    );
}
