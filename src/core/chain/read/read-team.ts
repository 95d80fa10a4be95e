import { readDuration } from '../../language/lexer.ts';
import type { StaticScope } from '../../language/scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import { namesValueOnly } from '../fields/plain-secrets.ts';
import { teamKeys } from '../keys/project-keys.ts';
import type { Template } from '../model.ts';
import { optional } from '../optional.ts';
import { TEAM_WITHOUT, type TeamSetting } from '../project.ts';
import { valueOf, type MapNode, type SourceNode } from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';

/** How long a machine that says nothing is waited for, and the least that can be asked for, in milliseconds. */
const LEASE = 15_000;
const SHORTEST_LEASE = 2000;

/** Reads `team` of the project file; undefined where it can't be used. */
export function readTeam(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: StaticScope,
): TeamSetting | undefined {
  if (node?.type !== 'map') return undefined;
  checkStructure(fields.findings, node, teamKeys, 'team');
  // It is asked for before values and services are known.
  const known = ['secret', 'environment'];
  const own: StaticScope = {
    ...scope,
    lookup: (name) => (known.includes(name) ? scope.lookup(name) : undefined),
    names: () => known,
  };
  const { value: texts, secrets } = fields.withSecrets(() => ({
    redis: secretText(fields, node, 'redis', own),
    key: secretText(fields, node, 'key', own),
  }));
  const { redis, key } = texts;
  if (!redis || !key) return undefined;
  const leaseNode = valueOf(node, 'lease');
  const lease = readDuration(fields.literal(leaseNode) ?? '') ?? LEASE;
  if (leaseNode && lease < SHORTEST_LEASE)
    fields.findings.problem(
      leaseNode,
      'wrong-form',
      'a lease has at least 2s: a machine that is busy for a moment would count as lost',
      fields.findings.becomes(leaseNode, '2s'),
    );
  return {
    redis,
    key,
    ...optional('ca', fields.literal(valueOf(node, 'ca'))),
    without: TEAM_WITHOUT.find((one) => one === fields.literal(valueOf(node, 'without'))) ?? 'stop',
    lease: Math.max(SHORTEST_LEASE, lease),
    ...optional('sharedFolder', fields.literal(valueOf(node, 'shared-folder'))),
    secrets,
    at: fields.findings.place(node),
  };
}

/** A text that has to come out of secrets. */
function secretText(
  fields: FieldReader,
  node: MapNode,
  name: 'redis' | 'key',
  scope: StaticScope,
): Template | undefined {
  const value = valueOf(node, name);
  if (!value) return undefined;
  const template = fields.template(value, scope);
  if (!template) return undefined;
  const isSecret = template.parts.some((part) => typeof part === 'object' && part.expression.secret);
  const isPlainAddress =
    name === 'redis' && template.parts.every((part) => typeof part === 'string' && !part.includes('@'));
  const [only] = template.parts;
  if (isPlainAddress && typeof only === 'string' && !/^rediss?:\/\/[\w[]/.test(only)) {
    fields.findings.problem(
      value,
      'not-a-url',
      `'${only}' is not the address of a Redis`,
      'redis: ${secret.redis}, and under secrets: redis: env KILN_REDIS, where KILN_REDIS is redis://HOST:6379',
    );
    return undefined;
  }
  if (isSecret || isPlainAddress || namesValueOnly(fields.findings, value)) return template;
  fields.findings.problem(
    value,
    'secret-in-plain-text',
    `${name} of team stands readable in the project file`,
    `${name}: \${secret.${name === 'key' ? 'team' : 'redis'}}`,
  );
  return undefined;
}
