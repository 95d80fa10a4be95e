import type { SecurityScheme } from '../../contract/description.ts';
import type { Credential } from '../project.ts';

/** Whether a credential may be what a scheme wants. */
export function mayBeSigned(
  { kind, fields }: Credential,
  { type, scheme, parameter, in: where }: SecurityScheme,
): boolean {
  const name = fields
    .get('name')
    ?.parts.map((part) => (typeof part === 'string' ? part : ''))
    .join('')
    .toLowerCase();
  switch (kind) {
    case 'basic':
    case 'digest':
      return type === 'http' && scheme === kind;
    case 'bearer':
    case 'oauth2':
      return type === 'oauth2' || type === 'openIdConnect' || (type === 'http' && scheme === 'bearer');
    case 'header':
      // A token may be written into Authorization by hand.
      return type === 'apiKey'
        ? where === 'header' && parameter?.toLowerCase() === name
        : name === 'authorization';
    case 'query':
    case 'cookie':
      return type === 'apiKey' && where === kind && parameter?.toLowerCase() === name;
    default:
      return true;
  }
}

/** What a scheme wants, in a few words. */
export function schemeText({ name, type, scheme, in: where, parameter }: SecurityScheme): string {
  if (type === 'apiKey') return `a key in the ${where ?? 'header'} ${parameter ?? name}`;
  return type === 'http' ? `${scheme ?? 'http'} (${name})` : `${type} (${name})`;
}
