// An OAuth server of its own make, for the grants of the credential oauth2; its address is its first line of output.
import { createServer } from 'node:http';
import { generateKeyPairSync } from 'node:crypto';
import Provider from 'oidc-provider';

const { privateKey, publicKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
const signing = generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey.export({ format: 'jwk' });
const server = createServer();
server.listen(0, '127.0.0.1', () => {
  const issuer = `http://127.0.0.1:${server.address().port}`;
  const client = (client_id, grant_types, more = {}) => ({
    client_id,
    grant_types,
    response_types: grant_types.includes('authorization_code') ? ['code'] : [],
    redirect_uris: grant_types.includes('authorization_code') ? ['http://127.0.0.1/callback'] : [],
    ...more,
  });
  const provider = new Provider(issuer, {
    clients: [
      client('desk', ['client_credentials'], { client_secret: 'desk-secret-0123456789' }),
      client('post', ['client_credentials'], {
        client_secret: 'post-secret-0123456789',
        token_endpoint_auth_method: 'client_secret_post',
      }),
      client('signer', ['client_credentials'], {
        token_endpoint_auth_method: 'private_key_jwt',
        jwks: { keys: [{ ...publicKey.export({ format: 'jwk' }), kid: 'desk-1', use: 'sig' }] },
      }),
      client('browser', ['authorization_code', 'refresh_token'], {
        application_type: 'native',
        token_endpoint_auth_method: 'none',
      }),
      client('device', ['urn:ietf:params:oauth:grant-type:device_code', 'refresh_token'], {
        token_endpoint_auth_method: 'none',
      }),
    ],
    jwks: { keys: [{ ...signing, use: 'sig' }] },
    cookies: { keys: ['a key for the cookies of a test'] },
    scopes: ['openid', 'offline_access', 'firings:write'],
    ttl: {
      ClientCredentials: 300,
      AccessToken: 300,
      RefreshToken: 3600,
      DeviceCode: 600,
      Interaction: 600,
      Grant: 600,
      Session: 600,
    },
    issueRefreshToken: async () => true,
    rotateRefreshToken: true,
    features: {
      clientCredentials: { enabled: true },
      deviceFlow: { enabled: true },
      introspection: { enabled: true, allowedPolicy: () => true },
    },
    findAccount: (_, id) => ({ accountId: id, claims: () => ({ sub: id }) }),
  });
  server.on('request', provider.callback());
  console.log(JSON.stringify({ issuer, key: privateKey.export({ type: 'pkcs8', format: 'pem' }) }));
});
