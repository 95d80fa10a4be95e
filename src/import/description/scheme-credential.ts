import type { Description, Operation, SecurityScheme } from '../../core/contract/description.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { scalar } from '../yaml-text.ts';

/** A credential for a security scheme, with the names of its secrets. */
export interface SchemeCredential {
  readonly lines: readonly string[];
  readonly secrets: readonly string[];
}

/** The scheme that an operation is called with: the first that can be written as a credential, alone before with others. */
export function schemeFor({ schemes }: Description, { security }: Operation): SecurityScheme | undefined {
  const sets = security.filter((set) => set.length > 0).toSorted((a, b) => a.length - b.length);
  for (const set of sets)
    for (const { scheme } of set) {
      const found = schemes.find(({ name }) => name === scheme);
      if (found && credentialOf(found, 'x')) return found;
    }
  return undefined;
}

/**
 * The credential for a scheme, by a name; undefined if there is no kind for it. Addresses that the description gives without
 * a host lie at `server`.
 */
export function credentialOf(
  scheme: SecurityScheme,
  name: string,
  server = 'https://api.emberfold.example',
): SchemeCredential | undefined {
  const at = (address: string): string =>
    scalar(URL.canParse(address, server) ? new URL(address, server).href : address);
  const made = (lines: readonly string[], ...secrets: string[]): SchemeCredential => ({ lines, secrets });
  const secret = (part?: string): string =>
    part === undefined ? name : nameOfPlaceholder(`${name}_${part}`);
  const inserted = (part?: string): string => `\${secret.${secret(part)}}`;
  switch (scheme.type) {
    case 'http':
      if (scheme.scheme === 'bearer') return made(['kind: bearer', `token: ${inserted()}`], secret());
      if (scheme.scheme === 'basic' || scheme.scheme === 'digest')
        return made(
          [`kind: ${scheme.scheme}`, `user: ${inserted('user')}`, `password: ${inserted('password')}`],
          secret('user'),
          secret('password'),
        );
      return undefined;
    case 'apiKey':
      if (scheme.parameter === undefined || !['header', 'query', 'cookie'].includes(scheme.in ?? ''))
        return undefined;
      return made(
        [`kind: ${scheme.in!}`, `name: ${scalar(scheme.parameter)}`, `value: ${inserted()}`],
        secret(),
      );
    case 'oauth2':
      return oauth2(scheme, { made, secret, inserted, at });
    case 'openIdConnect': {
      const issuer = scheme.provider?.replace(/\/\.well-known\/openid-configuration$/, '');
      return issuer === undefined
        ? undefined
        : made(
            [
              'kind: oauth2',
              'grant: client-credentials',
              `issuer: ${scalar(issuer)}`,
              `client-id: ${inserted('client_id')}`,
              `client-secret: ${inserted('client_secret')}`,
            ],
            secret('client_id'),
            secret('client_secret'),
          );
    }
    default:
      return undefined;
  }
}

function oauth2(
  { flows }: SecurityScheme,
  {
    made,
    secret,
    inserted,
    at,
  }: {
    made: (lines: readonly string[], ...secrets: string[]) => SchemeCredential;
    secret: (part?: string) => string;
    inserted: (part?: string) => string;
    at: (address: string) => string;
  },
): SchemeCredential | undefined {
  const flow = (kind: string) => flows.find((one) => one.kind === kind);
  const client = flow('clientCredentials');
  const code = flow('authorizationCode');
  const device = flow('deviceAuthorization');
  const password = flow('password');
  const found = client ?? code ?? device ?? password;
  if (found?.tokenUrl === undefined) return undefined;
  const scope = found.scopes.length > 0 ? [`scope: ${scalar(found.scopes.join(' '))}`] : [];
  const token = `token-url: ${at(found.tokenUrl)}`;
  const id = `client-id: ${inserted('client_id')}`;
  if (client)
    return made(
      [
        'kind: oauth2',
        'grant: client-credentials',
        token,
        id,
        `client-secret: ${inserted('client_secret')}`,
        ...scope,
      ],
      secret('client_id'),
      secret('client_secret'),
    );
  if (code)
    return made(
      [
        'kind: oauth2',
        'grant: browser',
        `authorize-url: ${at(code.authorizationUrl ?? '')}`,
        token,
        id,
        ...scope,
      ],
      secret('client_id'),
    );
  if (device)
    return made(
      ['kind: oauth2', 'grant: device', `device-url: ${at(device.deviceUrl ?? '')}`, token, id, ...scope],
      secret('client_id'),
    );
  return made(
    [
      'kind: oauth2',
      'grant: password',
      token,
      id,
      `user: ${inserted('user')}`,
      `password: ${inserted('password')}`,
      ...scope,
    ],
    secret('client_id'),
    secret('user'),
    secret('password'),
  );
}
