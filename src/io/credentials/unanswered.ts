import type { CredentialKind } from '../../core/chain/keys/credential-keys.ts';
import { shorten, visible } from '../../core/language/show.ts';
import { memberOf } from '../../core/language/values.ts';
import { type Challenge, challengesOf } from './challenges.ts';
import { canAnswer } from './digest.ts';

/** The scheme of HTTP in which each kind is sent, where it has one. */
const SCHEMES: Readonly<Partial<Record<CredentialKind, string>>> = {
  basic: 'Basic',
  bearer: 'Bearer',
  digest: 'Digest',
  oauth2: 'Bearer',
};

/**
 * Why a credential of a kind can't answer what WWW-Authenticate fields ask for, as a sentence that goes on after "the service";
 * undefined where it can, or where nothing tells.
 */
export function whyUnanswered(kind: string, fields: readonly string[]): string | undefined {
  const asked = challengesOf(fields);
  const scheme = memberOf(SCHEMES, kind);
  if (asked.length === 0 || scheme === undefined) return undefined;
  const own = asked.filter((one) => one.scheme === scheme.toLowerCase());
  if (own.length === 0) {
    const schemes = [...new Set(asked.map((one) => visible(shorten(one.scheme, 40))))];
    return `asks for ${schemes.join(' or ')}, and a credential of kind ${kind} is sent as ${scheme}`;
  }
  if (kind !== 'digest' || own.some((one) => canAnswer(one, true))) return undefined;
  return `asks for Digest in a way that can't be answered: ${own.map(describe).join('; ')}`;
}

function describe({ parameters }: Challenge): string {
  const said = ['algorithm', 'qop'].flatMap((name) => {
    const value = parameters.get(name);
    return value === undefined ? [] : [`${name} ${visible(shorten(value, 40))}`];
  });
  return said.length === 0 ? 'without an algorithm' : said.join(', ');
}
