import type { Project } from '../../core/chain/project.ts';
import { readProject } from '../../core/chain/read/read-project.ts';
import { fail } from '../../core/problems.ts';
import { type Draft, freeName } from '../../import/draft.ts';

/** A bearer token named on the command line: never the token itself, but where it comes from. */
export interface BearerOption {
  /** The name of the credential, which the project then has. */
  readonly name: string;
  readonly project: Project;
  /** What was written behind it on the command line and belongs to the request. */
  readonly rest: readonly string[];
  /** Puts it into what is added to the project file. */
  addTo(draft: Draft): void;
}

const EXAMPLE = '--bearer env TOKEN, or --bearer ask';

/**
 * Reads the words behind `--bearer`: `env NAME` or `ask`, also in quotes. Throws `wrong-form` for others, so
 * that a token never stands in the history of a shell.
 */
export function bearerOption(words: readonly string[], project: Project): BearerOption {
  const [from = '', ...others] = words[0]!.includes(' ')
    ? [...words[0]!.split(/ +(.*)/s).slice(0, 2), ...words.slice(1)]
    : words;
  if (from !== 'env' && from !== 'ask')
    fail('wrong-form', '--bearer takes where the token comes from, not the token', { hint: EXAMPLE });
  const [where = '', ...rest] = from === 'ask' ? ['', ...others] : others;
  if (from === 'env' && !/^[A-Za-z_]\w*$/.test(where))
    fail('wrong-form', '--bearer env takes the name of a variable behind it', { hint: EXAMPLE });
  const known = knownBearer(project, from, where);
  if (known !== undefined) return { name: known, project, rest, addTo: () => undefined };
  const name = freeName(from === 'env' ? where : 'token', {
    has: (one) => project.credentials.has(one) || project.secrets.has(one),
  });
  const source = from === 'ask' ? from : `${from} ${where}`;
  const lines = ['kind: bearer', `token: \${secret.${name}}`];
  const text = `credentials:\n  ${name}:\n    ${lines.join('\n    ')}\nsecrets:\n  ${name}: ${JSON.stringify(source)}\n`;
  const own = readProject('batharon.yaml', text, undefined, false).project;
  return {
    name,
    project: {
      ...project,
      credentials: new Map([...project.credentials, ...own.credentials]),
      secrets: new Map([...project.secrets, ...own.secrets]),
    },
    rest,
    addTo(draft) {
      draft.credentials.set(name, lines);
      draft.secrets.set(name, { source });
    },
  };
}

/** The bearer credential that the project has already, with the token from the same place. */
function knownBearer(project: Project, from: string, where: string): string | undefined {
  if (from === 'ask') return undefined;
  for (const { name, kind, fields } of project.credentials.values()) {
    const [part, ...others] = fields.get('token')?.parts ?? [];
    if (kind !== 'bearer' || fields.size > 1 || others.length > 0) continue;
    if (part === undefined || typeof part === 'string') continue;
    const [, secret] = /^\$?\{?\s*secret\.([A-Za-z0-9_]+)\s*\}?$/.exec(part.expression.text) ?? [];
    const source = secret === undefined ? undefined : project.secrets.get(secret);
    if (source?.from === from && source.where === where) return name;
  }
  return undefined;
}
