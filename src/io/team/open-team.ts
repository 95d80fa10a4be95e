import type { Template } from '../../core/chain/model.ts';
import type { Project, TeamSetting } from '../../core/chain/project.ts';
import { plainText } from '../../core/language/functions/conversion.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import type { Ledger, Secrets } from '../../core/ports.ts';
import type { Team } from '../../core/team-ports.ts';
import type { KeptTokens } from '../credentials/kept-tokens.ts';
import { nodeDigests, systemChance } from '../world.ts';
import { TeamLedger } from './team-ledger.ts';
import { TeamPaces } from './team-pace.ts';
import { TeamRedis } from './team-redis.ts';
import { TeamTokens } from './team-tokens.ts';

/** What this process shares with the other machines of its team. */
export interface OpenTeam {
  readonly redis: TeamRedis;
  readonly ports: { readonly team: Team; readonly ledger: Ledger };
  readonly tokens: KeptTokens;
  close(): Promise<void>;
}

/** Connects to where the machines of a project meet. Throws `secret-missing`, `team-away`. */
export async function openTeam(
  project: Project & { readonly team: TeamSetting },
  secrets: Secrets,
  warn: (message: string) => void,
): Promise<OpenTeam> {
  const { team: setting } = project;
  const known = objectOf(
    await Promise.all([...setting.secrets].map(async (name) => [name, await secrets.get(name)] as const)),
  );
  const redis = await TeamRedis.open({
    redis: filled(project, setting.redis, known),
    key: filled(project, setting.key, known),
    setting,
    near: project.file!,
  });
  const paces = new TeamPaces(redis);
  return {
    redis,
    ports: { team: { without: setting.without, paces }, ledger: new TeamLedger(redis) },
    tokens: new TeamTokens(redis, warn),
    close: async () => {
      paces.close();
      await redis.end();
    },
  };
}

/** A text with the secrets it inserts. */
function filled({ environment, zone }: Project, { parts }: Template, secrets: Value): string {
  const see = {
    response: undefined,
    name: (name: string) => (name === 'secret' ? secrets : name === 'environment' ? environment : undefined),
    world: {
      now: () => Date.now(),
      chance: () => systemChance.next(),
      digest: (...of: Parameters<typeof nodeDigests.digest>) => nodeDigests.digest(...of),
      hmac: (...of: Parameters<typeof nodeDigests.hmac>) => nodeDigests.hmac(...of),
      zone,
    },
    visited: 0,
  };
  return parts
    .map((part) => (typeof part === 'string' ? part : (plainText(part.expression.evaluate(see) ?? '') ?? '')))
    .join('');
}
