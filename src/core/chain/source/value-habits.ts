/** Words of other programs for the values of a key, by the value that they mean here. */
const OTHER_VALUES: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  kind: {
    text: 'string str',
    number: 'int integer float decimal numeric double long',
    'yes-no': 'boolean bool flag yesno yes_no',
    choice: 'enum select option one-of',
    date: 'datetime time timestamp day',
    json: 'object array list map dict any',
    rows: 'csv table file records',
    secret: 'password credential key hidden token',
  },
  'read-as': {
    text: 'txt plain string text/plain',
    json: 'application/json object',
    bytes: 'binary raw blob',
    'json-lines': 'ndjson jsonl jsonlines',
    events: 'sse event-stream eventsource',
    xml: 'application/xml soap',
  },
  'on-fail': {
    continue: 'ignore skip warn go-on proceed true yes',
    stop: 'fail abort exit break error halt false no',
  },
  on: {
    'no-response': 'timeout network network-error connection connection-error connect-error disconnect',
    '5xx': 'server-error server-errors 500s 5XX',
    '429': 'rate-limit rate-limited too-many-requests',
  },
  'when-one-fails': {
    continue: 'ignore skip warn go-on proceed true yes',
    stop: 'fail abort exit break error halt false no',
  },
  grant: {
    'client-credentials': 'client_credentials clientcredentials machine service',
    'refresh-token': 'refresh refresh_token',
    browser: 'authorization-code authorization_code code pkce authcode',
    device: 'device-code device_code',
    jwt: 'jwt-bearer assertion urn:ietf:params:oauth:grant-type:jwt-bearer',
    password: 'ropc resource-owner owner password-credentials password-grant',
  },
  contract: { strict: 'error fail enforce', warn: 'warning report', off: 'ignore disabled skip' },
  run: { 'only-by-name': 'manual manually never by-name', always: 'auto automatic' },
  'client-auth': { client_secret_basic: 'basic header', client_secret_post: 'post body form' },
  guard: { 'reads-only': 'readonly read-only safe get-only', ask: 'confirm prompt', none: 'no off' },
  credential: {
    bearer: 'token jwt access-token bearer-token',
    basic: 'basic-auth http-basic userpass',
    header: 'api-key apikey api_key header-key',
    query: 'query-key api-key-query',
    oauth2:
      'oauth oauth-2 oidc openid client-credentials device device-code refresh-token jwt-bearer authorization-code',
    'message-signature': 'signature http-signature signed',
    digest: 'digest-auth http-digest',
  },
};

/** What a word means as a value of a key, where other programs say it so; only what is in `known`, if that is given. */
export function valueMeantBy(key: string, word: string, known?: readonly string[]): string | undefined {
  const values = Object.hasOwn(OTHER_VALUES, key) ? OTHER_VALUES[key]! : {};
  const found = Object.entries(values).find(([, others]) =>
    others.split(' ').includes(word.trim().toLowerCase().replaceAll(' ', '-')),
  )?.[0];
  return found === undefined || known?.includes(found) === false ? undefined : found;
}

/** All such words, with what they mean and of which key they are values. */
export function valueHabits(): readonly (readonly [word: string, key: string, value: string])[] {
  return Object.entries(OTHER_VALUES).flatMap(([key, values]) =>
    Object.entries(values).flatMap(([value, others]) =>
      others.split(' ').map((word) => [word, key, value] as const),
    ),
  );
}
