import { fail } from '../problems.ts';
import type { DescriptionHead, OAuthFlow, OperationHead, SecurityScheme } from './description.ts';
import {
  dataEntries,
  dataMember,
  type DescriptionSource,
  followed,
  isData,
  lineOfData,
  pointerPart,
  type DescriptionReading,
  type Ref,
  refTarget,
  textMember,
  type DescriptionWarning,
} from './document.ts';
import { normalSchema } from './normal-schema.ts';
import { readOperation } from './read-operation.ts';

/** The methods that a path item has keys for. */
const METHOD_KEYS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace', 'query'];

/**
 * Reads what a description says of itself and of its operations: OpenAPI 3.0 to 3.2, https://spec.openapis.org/oas/v3.2.0.html.
 * Each part is looked at once, for what can't be used as it is written. Throws `not-a-description`.
 */
export function readDescription(
  source: DescriptionSource,
  fileName: (file: string) => string,
): DescriptionHead {
  const root = source.at('', '');
  const specification = specificationOf(root, fileName(''));
  const warnings: DescriptionWarning[] = [];
  const warn = (ref: Ref, line: number, message: string): void => {
    warnings.push({ message, at: { file: fileName(ref.file), line } });
  };
  const reading: DescriptionReading = { source, isOld: specification === '3.0', fileName, warn };
  const info = dataMember(root, 'info');
  const operations = readOperations(reading, root);
  const head: DescriptionHead = {
    specification,
    title: textMember(info, 'title') ?? fileName(''),
    version: textMember(info, 'version') ?? '',
    operations,
    servers: readServers(root),
    schemes: readSchemes(reading),
    schemas: dataEntries(dataMember(dataMember(root, 'components'), 'schemas')).map(([name]) => name),
    warnings,
  };
  inspect(reading, head, warnings);
  const seen = new Set<string>();
  return {
    ...head,
    warnings: warnings
      .filter(({ at: { file, line }, message }) => {
        const key = `${file}:${line} ${message}`;
        return !seen.has(key) && seen.add(key);
      })
      .toSorted((a, b) => (a.at.file < b.at.file ? -1 : a.at.file > b.at.file ? 1 : a.at.line - b.at.line)),
  };
}

function specificationOf(root: unknown, file: string): string {
  const version = textMember(root, 'openapi');
  const found = /^3\.[0-2](?=\.|$)/.exec(version ?? '')?.[0];
  if (found !== undefined) return found;
  const old = dataMember(root, 'swagger');
  return fail(
    'not-a-description',
    version !== undefined || old !== undefined
      ? `${file} is a description of OpenAPI ${version ?? String(old)}, and 3.0, 3.1 and 3.2 are read`
      : `${file} is no description: it does not say \`openapi: 3.…\``,
  );
}

/** Those of a description, of a path or of an operation. */
function readServers(around: unknown): string[] {
  const servers = dataMember(around, 'servers');
  return (Array.isArray(servers) ? (servers as unknown[]) : []).flatMap((server) => {
    const url = textMember(server, 'url');
    const variables = dataMember(server, 'variables');
    return url === undefined
      ? []
      : [
          url.replace(/\{([^{}]*)\}/g, (whole, name: string) => {
            const value = dataMember(dataMember(variables, name), 'default');
            return typeof value === 'string' || typeof value === 'number' ? String(value) : whole;
          }),
        ];
  });
}

// ---- operations

function readOperations(reading: DescriptionReading, root: unknown): OperationHead[] {
  const heads: OperationHead[] = [];
  const paths = dataMember(root, 'paths');
  if (paths !== undefined && !isData(paths))
    reading.warn({ file: '', pointer: '' }, lineOfData(root), 'paths is no object');
  for (const [path] of dataEntries(paths)) {
    const item = { file: '', pointer: `/paths/${pointerPart(path)}` };
    if (path.startsWith('/')) heads.push(...headsOf(reading, item, { path, around: lineOfData(paths) }));
    else if (!path.startsWith('x-'))
      reading.warn(
        item,
        lineOfData(dataMember(paths, path), lineOfData(paths)),
        `the path ${path} does not begin with /`,
      );
  }
  for (const [name] of dataEntries(dataMember(root, 'webhooks')))
    heads.push(
      ...headsOf(
        reading,
        { file: '', pointer: `/webhooks/${pointerPart(name)}` },
        { path: `/${name}`, incoming: name },
      ),
    );
  const incoming = heads.flatMap((head) => callbacksOf(reading, head));
  twice(reading, heads);
  return [...heads, ...incoming];
}

/** The operations of a path item. */
function headsOf(
  reading: DescriptionReading,
  at: Ref,
  {
    path,
    incoming,
    around = 1,
  }: { readonly path: string; readonly incoming?: string; readonly around?: number },
): OperationHead[] {
  const found = followed(reading.source, at);
  if ('lost' in found || !isData(found.node)) {
    reading.warn(
      at,
      lineOfData(reading.source.at(at.file, at.pointer), around),
      `nothing can be read of the path ${path}`,
    );
    return [];
  }
  const { node, ref: item } = found;
  const more = dataMember(node, 'additionalOperations');
  const methods: [string, string, unknown][] = [
    ...METHOD_KEYS.flatMap((key): [string, string, unknown][] => {
      const operation = dataMember(node, key);
      return operation === undefined ? [] : [[key.toUpperCase(), `/${key}`, operation]];
    }),
    ...dataEntries(more).map(([name, operation]): [string, string, unknown] => [
      name,
      `/additionalOperations/${pointerPart(name)}`,
      operation,
    ]),
  ];
  return methods.flatMap(([method, pointer, operation]) => {
    const ref = { file: item.file, pointer: item.pointer + pointer };
    const line = lineOfData(operation, lineOfData(node));
    if (!isData(operation)) {
      reading.warn(ref, line, `${method} ${path} is no object`);
      return [];
    }
    const id = textMember(operation, 'operationId');
    const summary = textMember(operation, 'summary') ?? textMember(node, 'summary');
    const tags = dataMember(operation, 'tags');
    const servers = [operation, node].map(readServers).find(({ length }) => length > 0);
    return [
      {
        method,
        path,
        ...(id === undefined ? {} : { id }),
        ...(summary === undefined ? {} : { summary }),
        tags: Array.isArray(tags) ? tags.filter((tag): tag is string => typeof tag === 'string') : [],
        deprecated: dataMember(operation, 'deprecated') === true,
        parameters: parameterNames(reading, [node, operation], item.file),
        ...(servers === undefined ? {} : { servers }),
        ...(incoming === undefined ? {} : { incoming }),
        item,
        ref,
        at: { file: reading.fileName(item.file), line },
      },
    ];
  });
}

function parameterNames(reading: DescriptionReading, nodes: readonly unknown[], file: string): string[] {
  const names = nodes.flatMap((node) => {
    const parameters = dataMember(node, 'parameters');
    return (Array.isArray(parameters) ? (parameters as unknown[]) : []).flatMap((one) => {
      const next = textMember(one, '$ref');
      const target = next === undefined ? undefined : refTarget(file, next);
      const found = target && followed(reading.source, target);
      const name = textMember(found && 'node' in found ? found.node : one, 'name');
      return name === undefined ? [] : [name];
    });
  });
  return [...new Set(names)];
}

/** Requests that the service sends because of an operation. */
function callbacksOf(reading: DescriptionReading, head: OperationHead): OperationHead[] {
  const callbacks = dataMember(reading.source.at(head.ref.file, head.ref.pointer), 'callbacks');
  return dataEntries(callbacks).flatMap(([name]) => {
    const found = followed(reading.source, {
      file: head.ref.file,
      pointer: `${head.ref.pointer}/callbacks/${pointerPart(name)}`,
    });
    if ('lost' in found) return [];
    return dataEntries(found.node).flatMap(([address]) =>
      address.startsWith('x-')
        ? []
        : headsOf(
            reading,
            { file: found.ref.file, pointer: `${found.ref.pointer}/${pointerPart(address)}` },
            { path: address, incoming: `${name} of ${head.id ?? `${head.method} ${head.path}`}` },
          ),
    );
  });
}

/** Two operations of one name: by it only the first can be found. */
function twice(reading: DescriptionReading, heads: readonly OperationHead[]): void {
  const ids = new Set<string>();
  for (const { id, ref, at } of heads) {
    if (id === undefined) continue;
    if (ids.has(id)) reading.warn(ref, at.line, `operationId ${id} is given twice`);
    ids.add(id);
  }
}

// ---- who may call

function readSchemes({ source }: DescriptionReading): SecurityScheme[] {
  const pointer = '/components/securitySchemes';
  return dataEntries(source.at('', pointer)).flatMap(([name]) => {
    const found = followed(source, { file: '', pointer: `${pointer}/${pointerPart(name)}` });
    if ('lost' in found) return [];
    const { node } = found;
    const scheme: Record<string, unknown> = {
      name,
      type: textMember(node, 'type') ?? '',
      in: textMember(node, 'in'),
      parameter: textMember(node, 'name'),
      scheme: textMember(node, 'scheme')?.toLowerCase(),
      about: textMember(node, 'description'),
      provider: textMember(node, 'openIdConnectUrl'),
      flows: dataEntries(dataMember(node, 'flows')).map(([kind, flow]) => flowOf(kind, flow)),
    };
    const there = Object.entries(scheme).filter(([, value]) => value !== undefined);
    return [Object.fromEntries(there) as unknown as SecurityScheme];
  });
}

function flowOf(kind: string, flow: unknown): OAuthFlow {
  const [token, authorization, device] = ['tokenUrl', 'authorizationUrl', 'deviceAuthorizationUrl'].map(
    (name) => textMember(flow, name),
  );
  return {
    kind,
    ...(token === undefined ? {} : { tokenUrl: token }),
    ...(authorization === undefined ? {} : { authorizationUrl: authorization }),
    ...(device === undefined ? {} : { deviceUrl: device }),
    scopes: dataEntries(dataMember(flow, 'scopes')).map(([name]) => name),
  };
}

// ---- what can't be used

/** Reads each operation and each schema once, for the warnings. */
function inspect(reading: DescriptionReading, head: DescriptionHead, warnings: DescriptionWarning[]): void {
  const { source, isOld, fileName } = reading;
  const seen = new Set<string>();
  const schema = (ref: Ref | undefined): void => {
    const key = ref && `${ref.file}#${ref.pointer}`;
    if (!ref || key === undefined || seen.has(key)) return;
    seen.add(key);
    const own = normalSchema({ source, isOld, fileName, direction: 'response', isShallow: true }, ref);
    warnings.push(...own.warnings);
  };
  for (const name of head.schemas) schema({ file: '', pointer: `/components/schemas/${pointerPart(name)}` });
  for (const operation of head.operations) {
    const { parameters, body, responses } = readOperation(reading, operation);
    for (const one of parameters) schema(one.schema);
    for (const content of body?.content ?? []) schema(content.schema);
    for (const response of responses) {
      for (const one of response.headers) schema(one.schema);
      for (const content of response.content) schema(content.schema);
    }
  }
}
