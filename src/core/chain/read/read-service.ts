import { NONE, saysYes, timesOf } from '../source/key-definition.ts';
import { nearest } from '../../language/nearest.ts';
import type { StaticScope } from '../../language/scope.ts';
import { ChainScope } from '../fields/chain-scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import { plainSecret, plainSecretsInUrl } from '../fields/plain-secrets.ts';
import { serviceKeys } from '../keys/project-keys.ts';
import { HOST_AND_PORT } from '../../header-names.ts';
import { type Credential, type Service, type Tls, TLS_VERSIONS, type TlsVersion } from '../project.ts';
import type { Template } from '../model.ts';
import { readFields, readTimeouts } from './read-call.ts';
import { readCarried } from './read-as.ts';
import { readParameters } from './read-body.ts';
import { readExpectations } from './read-outcome.ts';
import { optional } from '../optional.ts';
import type { Place } from '../../problems.ts';
import { readPace, readRetry } from './read-traffic.ts';
import {
  type MapEntry,
  type MapNode,
  type ScalarNode,
  type SourceNode,
  valueOf,
} from '../source/source-file.ts';
import { contractOf } from './described-call.ts';
import { replacedBy } from '../source/changes.ts';
import { checkStructure } from '../source/structure.ts';
import { isThisMachine } from '../../this-machine.ts';

/** Reads one service of the project file. */
export function readService(
  fields: FieldReader,
  { key, value: written }: MapEntry,
  scope: StaticScope,
  credentials: ReadonlyMap<string, Credential>,
): [string, Omit<Service, 'secrets'>][] {
  const { findings } = fields;
  const name = key.text;
  let value = written;
  if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name)) {
    findings.problem(
      key,
      'name-invalid',
      `${name} can't be the name of a service: a letter, then letters, digits and _`,
      findings.becomes(key, name.replace(/[^A-Za-z0-9]+/g, '_').replace(/^[^A-Za-z]+|_+$/g, '') || undefined),
    );
  }
  if (value.type === 'scalar') {
    findings.problem(value, 'wrong-form', 'a service is a map of keys, but this is a text', {
      change: replacedBy(value, `{ url: ${JSON.stringify(value.text)} }`),
    });
    // It is there, so that no call of it is called wrong.
    value = { type: 'map', entries: [{ key: { ...key, text: 'url' }, value }], range: value.range };
  }
  const node = checkStructure(
    findings,
    value.type === 'empty' ? { type: 'map', entries: [], range: key.range } : value,
    serviceKeys,
    'a service',
  );
  if (!node) return [];
  const asNode = valueOf(node, 'as');
  const carried = readCarried(fields, asNode, credentials, {
    scope,
    hint: 'credentials: in this file describes who signs in',
  });
  const { as } = carried;
  const insecure = saysYes(fields.literal(valueOf(node, 'insecure')));
  const urlNode = valueOf(node, 'url');
  const { value: url, secrets: urlSecrets } = fields.withSecrets(() =>
    urlNode?.type === 'scalar'
      ? readServiceUrl(fields, urlNode, scope, as !== undefined && as !== 'nobody' && !insecure)
      : undefined,
  );
  const descriptionNode = valueOf(node, 'description');
  const redirects = fields.literal(valueOf(node, 'redirects'));
  const proxyNode = valueOf(node, 'proxy');
  if (proxyNode) plainSecretsInUrl(fields.findings, proxyNode);
  return [
    [
      name,
      {
        name,
        url: url ?? 'practice',
        urlSecrets,
        ...carried,
        headers: readFields({ fields }, valueOf(node, 'headers'), scope),
        query: readParameters({ fields }, valueOf(node, 'query'), scope),
        timeouts: readTimeouts({ fields }, valueOf(node, 'timeout'), scope),
        expect: readExpectations(fields, valueOf(node, 'expect'), new ChainScope().after(undefined)),
        ...optional(
          'retry',
          readRetry(fields, valueOf(node, 'retry'), scope, new ChainScope().after(undefined)),
        ),
        ...optional('pace', readPace(fields, valueOf(node, 'pace'))),
        ...optional('tls', readTls(fields, valueOf(node, 'tls'), scope)),
        ...optional('proxy', proxyNode && fields.template(proxyNode, scope, { hint: false })),
        ...optional('address', readAddress(fields, node, scope)),
        ...optional('redirects', redirects === undefined ? undefined : timesOf(redirects)),
        insecure,
        ...optional('description', descriptionNode && readDescriptionSetting(fields, descriptionNode)),
        ...optional('contract', contractOf(fields.literal(valueOf(node, 'contract')))),
        at: findings.place(key),
      },
    ],
  ];
}

function readDescriptionSetting(
  fields: FieldReader,
  node: SourceNode,
): { readonly from: string; readonly at: Place } | undefined {
  const from = fields.literal(node);
  if (from === undefined || from === '') return undefined;
  if (from.includes('${')) {
    fields.findings.problem(
      node,
      'wrong-form',
      'the place of a description has no insertions: it is read before anything runs',
      'an environment may say another: services.NAME.description',
    );
    return undefined;
  }
  if (URL.canParse(from) && /^https?:/.test(from)) plainSecretsInUrl(fields.findings, node);
  return { from, at: fields.findings.place(node) };
}

function readTls(fields: FieldReader, node: ReturnType<typeof valueOf>, scope: StaticScope): Tls | undefined {
  if (node?.type !== 'map') return undefined;
  const path = (name: string) => {
    const value = valueOf(node, name);
    return value && fields.template(value, scope, { hint: false });
  };
  checkPair(fields, node);
  const verify = saysYes(fields.literal(valueOf(node, 'verify')), true);
  return {
    ...optional('ca', path('ca')),
    ...optional('cert', path('cert')),
    ...optional('key', path('key')),
    ...optional('pkcs12', path('pkcs12')),
    ...optional('keyPassword', path('key-password')),
    ...optional('minVersion', readMinVersion(fields, valueOf(node, 'min-version'))),
    verify,
  };
}

function readMinVersion({ findings }: FieldReader, node: SourceNode | undefined): TlsVersion | undefined {
  if (node?.type !== 'scalar') return undefined;
  const version = TLS_VERSIONS.find((one) => one === node.text);
  if (!version)
    findings.problem(
      node,
      'wrong-form',
      `${node.text} is no version of TLS that could be asked for`,
      `min-version: ${TLS_VERSIONS.join(' or ')}`,
    );
  return version;
}

/** Where to connect; a proxy would connect elsewhere. */
function readAddress(fields: FieldReader, node: MapNode, scope: StaticScope): Template | undefined {
  const { findings } = fields;
  const address = valueOf(node, 'address');
  if (address?.type !== 'scalar') return undefined;
  const proxy = valueOf(node, 'proxy');
  if (proxy && fields.literal(proxy) !== NONE)
    findings.problem(
      address,
      'wrong-form',
      'a proxy decides itself where it connects to, so address has no meaning beside one',
      'one of them; or proxy: none',
    );
  if (!address.text.includes('${') && !HOST_AND_PORT.test(address.text))
    findings.problem(
      address,
      'wrong-form',
      `${address.text} is not a host and a port`,
      'address: 10.0.0.7:8443',
    );
  return fields.template(address, scope, { hint: false });
}

/** A certificate is of no use without its key, which may stand in the same file. */
function checkPair({ findings }: FieldReader, node: MapNode): void {
  if (valueOf(node, 'key') && !valueOf(node, 'cert'))
    findings.problem(node, 'missing-key', 'a key without its certificate proves nothing', 'cert: PATH');
  const password = valueOf(node, 'key-password');
  if (password) plainSecret(findings, password, 'password');
  if (password && !valueOf(node, 'cert') && !valueOf(node, 'pkcs12'))
    findings.problem(password, 'missing-key', 'there is no key that key-password would open', 'cert: PATH');
  if (valueOf(node, 'pkcs12') && valueOf(node, 'cert'))
    findings.problem(
      valueOf(node, 'pkcs12')!,
      'wrong-form',
      'the certificate stands both in a file of PKCS #12 and under cert',
      'keep one of them',
    );
}

function readServiceUrl(
  fields: FieldReader,
  node: ScalarNode,
  scope: StaticScope,
  signs: boolean,
): Service['url'] | undefined {
  if (node.text === 'practice') return 'practice';
  const template = fields.template(node, scope, { hint: false });
  if (!template) return undefined;
  const [only] = template.parts;
  if (template.parts.length !== 1 || typeof only !== 'string') return template;
  if (/^https?:\/\/practice\/?$/.test(only)) {
    fields.findings.problem(
      node,
      'not-a-url',
      'the practice service is called by its name alone',
      fields.findings.becomes(node, 'practice'),
    );
    return undefined;
  }
  if (!/^https?:\/\//.test(only) || !URL.canParse(only)) {
    fields.findings.problem(
      node,
      'not-a-url',
      `'${only}' is not the URL of a service`,
      /^[\w-]+(?:\.[\w-]+)+(?::\d+)?(?:\/\S*)?$/.test(only)
        ? fields.findings.becomes(node, `https://${only}`)
        : /^(?:localhost|\d+(?:\.\d+){3})(?::\d+)?(?:\/\S*)?$/.test(only)
          ? fields.findings.becomes(node, `http://${only}`)
          : /^https?:?\/{1,2}\w/.test(only)
            ? fields.findings.becomes(node, only.replace(/^(https?):?\/{1,2}/, '$1://'))
            : nearest(only, ['practice']) !== undefined
              ? fields.findings.becomes(node, 'practice')
              : { example: 'url: https://api.emberfold.example/v1' },
    );
    return template;
  }
  const url = new URL(only);
  if (url.username !== '' || url.password !== '') {
    fields.findings.problem(
      node,
      'secret-in-plain-text',
      'user and password stand readable in this URL',
      'a credential of kind basic',
    );
  }
  if (url.search !== '' || url.hash !== '') {
    fields.findings.problem(
      node,
      'wrong-form',
      'the URL of a service has no query and no fragment',
      'query: on the calls',
    );
  }
  if (signs && url.protocol === 'http:' && !isThisMachine(url.hostname)) {
    fields.findings.problem(
      node,
      'plain-http',
      `a credential would be sent over plain HTTP to ${url.host}, where others can read it`,
      `${only.replace('http:', 'https:')}, or insecure: yes on the service`,
    );
  }
  return template;
}
