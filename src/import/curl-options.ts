/** What an option of curl means here: its value is taken, it changes nothing, or it can't be carried over. */
export type Meaning =
  | Exclude<keyof Collected, 'inOrder'>
  | 'ignored'
  | 'ignored with value'
  | 'flag'
  | 'noted'
  | 'noted with value';

/** Values of options, by what they are for. */
export interface Collected {
  url: string[];
  method: string[];
  header: string[];
  user: string[];
  data: string[];
  raw: string[];
  binary: string[];
  urlencoded: string[];
  json: string[];
  form: string[];
  formText: string[];
  cookie: string[];
  agent: string[];
  referer: string[];
  bearer: string[];
  urlQuery: string[];
  cert: string[];
  key: string[];
  ca: string[];
  proxy: string[];
  total: string[];
  connect: string[];
  upload: string[];
  output: string[];
  range: string[];
  /** What is sent as data, in the order in which it was given. */
  inOrder: ['data' | 'raw' | 'binary' | 'urlencoded', string][];
}

const FLAGS = ['get', 'head', 'insecure', 'digest', 'remote-name', 'basic'] as const;

/** By the long names of options, as their manual lists them. */
export const MEANINGS: Readonly<Record<string, Meaning>> = {
  url: 'url',
  request: 'method',
  header: 'header',
  user: 'user',
  data: 'data',
  'data-ascii': 'data',
  'data-raw': 'raw',
  'data-binary': 'binary',
  'data-urlencode': 'urlencoded',
  json: 'json',
  form: 'form',
  'form-string': 'formText',
  cookie: 'cookie',
  'user-agent': 'agent',
  referer: 'referer',
  'oauth2-bearer': 'bearer',
  'url-query': 'urlQuery',
  cert: 'cert',
  key: 'key',
  cacert: 'ca',
  proxy: 'proxy',
  'max-time': 'total',
  'connect-timeout': 'connect',
  'upload-file': 'upload',
  output: 'output',
  range: 'range',
  ...Object.fromEntries(FLAGS.map((name) => [name, 'flag' as const])),
  // Redirects are followed, bodies decompressed and errors shown anyway.
  ...Object.fromEntries(
    [
      ...['location', 'compressed', 'silent', 'show-error', 'verbose', 'include', 'fail', 'fail-with-body'],
      ...[
        'globoff',
        'http1.1',
        'http2',
        'no-progress-meter',
        'progress-bar',
        'tlsv1.2',
        'tlsv1.3',
        'ssl-reqd',
      ],
      ...['no-buffer', 'path-as-is', 'remote-header-name', 'anyauth', 'proto-default', 'create-dirs', 'ipv4'],
    ].map((name) => [name, 'ignored' as const]),
  ),
  ...Object.fromEntries(
    [
      'write-out',
      'dump-header',
      'cookie-jar',
      'stderr',
      'trace',
      'trace-ascii',
      'proto',
      'max-redirs',
      'keepalive-time',
    ].map((name) => [name, 'ignored with value' as const]),
  ),
  ...Object.fromEntries(
    [
      ...[
        'retry',
        'retry-delay',
        'retry-max-time',
        'resolve',
        'connect-to',
        'config',
        'interface',
        'limit-rate',
      ],
      ...['unix-socket', 'proxy-user', 'aws-sigv4', 'cert-type', 'pass', 'speed-limit', 'speed-time'],
      ...[
        'continue-at',
        'time-cond',
        'pinnedpubkey',
        'ciphers',
        'proxy-header',
        'socks5',
        'socks5-hostname',
        'capath',
      ],
    ].map((name) => [name, 'noted with value' as const]),
  ),
  ...Object.fromEntries(
    [
      'ntlm',
      'negotiate',
      'netrc',
      'location-trusted',
      'parallel',
      'retry-all-errors',
      'retry-connrefused',
      'http3',
      'http1.0',
      'ipv6',
    ].map((name) => [name, 'noted' as const]),
  ),
};

/** The long names of short options. */
export const SHORT: Readonly<Record<string, string>> = {
  X: 'request',
  H: 'header',
  u: 'user',
  d: 'data',
  F: 'form',
  b: 'cookie',
  A: 'user-agent',
  e: 'referer',
  G: 'get',
  I: 'head',
  k: 'insecure',
  L: 'location',
  s: 'silent',
  S: 'show-error',
  v: 'verbose',
  i: 'include',
  f: 'fail',
  E: 'cert',
  x: 'proxy',
  m: 'max-time',
  T: 'upload-file',
  o: 'output',
  O: 'remote-name',
  J: 'remote-header-name',
  g: 'globoff',
  w: 'write-out',
  D: 'dump-header',
  c: 'cookie-jar',
  K: 'config',
  r: 'range',
  n: 'netrc',
  N: 'no-buffer',
  U: 'proxy-user',
  C: 'continue-at',
  z: 'time-cond',
  Z: 'parallel',
  '#': 'progress-bar',
  '0': 'http1.0',
  '4': 'ipv4',
  '6': 'ipv6',
};
