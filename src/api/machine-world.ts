import type { World } from '../core/language/environment.ts';
import { MARKUP_FUNCTIONS } from '../core/language/markup.ts';
import type { Project } from '../core/chain/project.ts';
import { describedSchemas, schemaNamed } from '../core/chain/read/read-shapes.ts';
import { fail } from '../core/problems.ts';
import { bytesBelow } from '../io/files/files.ts';
import { nodeDigests, systemChance, systemClock } from '../io/world.ts';

/**
 * What an expression may ask this machine for; `text` is the expression, as readers of markup and schemas are loaded only for one that
 * uses them.
 */
export async function worldFor(text: string, project: Project): Promise<World> {
  return {
    now: () => systemClock.now(),
    chance: () => systemChance.next(),
    digest: (algorithm, data) => nodeDigests.digest(algorithm, data),
    hmac: (algorithm, key, data) => nodeDigests.hmac(algorithm, key, data),
    ...([...MARKUP_FUNCTIONS].some((name) => text.includes(`${name}(`))
      ? { markup: (await import('../io/files/read-markup.ts')).markup }
      : {}),
    ...(text.includes('fits') ? { fits: await fitting(project) } : {}),
    file: (path) => bytesBelow(path, process.cwd()),
    zone: project.zone,
  };
}

/** What holds values to the shapes of a project, and to the schemas of its descriptions. */
async function fitting(project: Project): Promise<NonNullable<World['fits']>> {
  const { SchemaValidator } = await import('../io/description/validate.ts');
  const validator = new SchemaValidator();
  return (value, name) => {
    const found = schemaNamed(name, { shapes: [project.shapes], described: describedSchemas(project) });
    return 'schema' in found
      ? validator.violations(found.schema, value)
      : fail('unknown-schema', found.message, found.instead === undefined ? {} : { hint: found.instead });
  };
}
