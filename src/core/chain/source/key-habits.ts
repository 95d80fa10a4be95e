/** Words that other programs use for keys, by the keys that they mean here; the first that has a place where it stands counts. */
const OTHER_KEYS: Readonly<Record<string, string>> = {
  when: 'if condition only-if onlyIf run-if',
  holds: 'condition that expression',
  query: 'params param parameters querystring query-string queryString qs query-params queryParams search',
  json: 'body data payload request-body json-body content',
  form: 'urlencoded form-urlencoded form-data-urlencoded fields formParams',
  file: 'path file-path filepath filename file-name src upload attachment from-file',
  multipart: 'files form-data formdata formData upload attachments',
  text: 'raw plain raw-body',
  headers: 'header http-headers default-headers defaultHeaders common-headers extra-headers request-headers',
  as: 'bearer basic oauth oauth2 auth authorization authentication credential credentials auth-as signed-in-as',
  expect:
    'assert asserts assertions assertion check checks test tests validate validates verify should must expects expectations',
  must: 'validate validation check constraint condition',
  keep: 'capture captures extract extracts store set register assign outputs output variables vars let save-as remember',
  values: 'variables vars globals constants',
  inputs: 'variables vars args arguments params parameters with',
  default: 'value defaults initial',
  kind: 'type format',
  choices: 'options enum values one-of allowed',
  each: 'foreach for-each for_each for loop with_items with-items iterate every-item',
  'when-one-fails':
    'on-error on-fail on-failure continue-on-error ignore-errors ignore_errors allow-failure fail-fast',
  'on-fail': 'on-error on-failure continue-on-error ignore-errors allow-failure ignore_errors',
  wait: 'sleep delay pause backoff interval',
  every: 'interval delay sleep wait pause poll-interval backoff',
  show: 'print log echo message display say',
  follow: 'include import call-chain run use chain subchain',
  cleanup: 'finally teardown tear-down after after-all always',
  undo: 'rollback revert compensate undo-with',
  about: 'description desc doc docs comment note summary title',
  because: 'message reason description why msg',
  chain: 'title name scenario workflow test flow suite',
  name: 'id step label key alias group header header-name as var variable into title',
  results: 'outputs output return returns result exports',
  'at-once': 'parallel concurrency workers threads max-parallel maxParallel parallelism jobs',
  timeout: 'deadline max-time time-limit timeout-ms timeoutMs',
  within: 'max timeout deadline max-time for time-limit',
  attempts: 'retries tries max-attempts maxAttempts times count max max-retries',
  retry: 'retries repeat-on-failure',
  'up-to': 'max limit max-iterations maxIterations max-pages times count most',
  'at-least': 'min minimum',
  steps: 'do then actions tasks requests stages',
  else: 'otherwise',
  url: 'base-url baseUrl baseURL base_url host server endpoint uri address',
  pages: 'paginate pagination paging paginated page-by-page',
  pace: 'rate rate-limit rateLimit throttle limit',
  rate: 'limit per-second',
  user: 'username login user-name',
  password: 'pass pwd passwd',
  token: 'bearer access-token accessToken api-key',
  write: 'append append-to export write-to write-row csv output-csv table log-to',
  save: 'download save-to output-file to-file write-to output',
  'read-as': 'parse-as response-type responseType parse',
  redirects: 'follow-redirects followRedirects max-redirects redirect',
  tags: 'labels tag',
  services: 'service servers hosts apis endpoints',
  secrets: 'secret env-secrets keys',
  credentials: 'auth authentication logins accounts',
  environments: 'envs env stages environment profiles',
  'default-environment': 'environment default-env env',
  grant: 'grant_type grantType grant-type flow',
  'token-url': 'token_endpoint tokenEndpoint access_token_url accessTokenUrl token-endpoint',
  scope: 'scopes',
  at: 'url uri location address href',
  ask: 'question prompt input confirm',
  'signing-key': 'private-key privateKey jwt-key key',
  poll: 'wait-until wait_until poll-until wait-for retry-until until',
  start: 'init initial begin state',
  until: 'stop-when done-when break-when while-not condition while',
  gather: 'collect aggregate reduce',
  items: 'data results list path',
  next: 'next-url cursor next-page link',
  'next-query': 'next-params next-cursor',
  zone: 'timezone time-zone tz',
  'one-row-per': 'key unique upsert-by keys primary-key',
  row: 'columns values fields record data',
  to: 'file path output target',
  let: 'vars variables values define computed compute',
  shapes: 'schemas schema models types definitions components',
  define: 'functions helpers macros defs definitions',
};

/** Whether a word is a key for which other programs have words of their own. */
export function isOurKey(word: string): boolean {
  return Object.hasOwn(OTHER_KEYS, word);
}

let meant: ReadonlyMap<string, readonly string[]> | undefined;

/** All such words, with what they mean; made when a word is first looked up, since a file without a fault asks for none. */
export function keyHabits(): ReadonlyMap<string, readonly string[]> {
  if (meant) return meant;
  const words = new Map<string, string[]>();
  for (const [here, others] of Object.entries(OTHER_KEYS))
    for (const other of others.split(' ')) words.set(other, [...(words.get(other) ?? []), here]);
  return (meant = words);
}

/** The keys that a word of other programs means here, the likeliest first; none of them for a word that nobody uses. */
export function keysMeantBy(word: string): readonly string[] {
  return keyHabits().get(word) ?? keyHabits().get(word.toLowerCase()) ?? [];
}

/** Methods of HTTP that stand as a key elsewhere: `get: /racks`. */
export const METHOD_KEYS: ReadonlySet<string> = new Set([
  'get',
  'post',
  'put',
  'patch',
  'delete',
  'head',
  'options',
]);

/** Words for a whole request: `request: GET /racks`. */
export const CALL_KEYS: ReadonlySet<string> = new Set([
  'request',
  'http',
  'api',
  'fetch',
  'curl',
  'send',
  'url',
  'uri',
  'endpoint',
  'path',
]);
