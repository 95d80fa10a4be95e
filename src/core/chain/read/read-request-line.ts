import { asScalar } from '../source/scalar-text.ts';
import type { Change } from '../source/source-problem.ts';
import { checkExpression } from '../../language/expression.ts';
import { BIT, isOnly, kindWords, LIST, mayBe } from '../../language/kinds.ts';
import { nearest } from '../../language/nearest.ts';
import type { StaticScope } from '../../language/scope.ts';
import { METHODS } from '../../methods.ts';
import { methodMeantBy } from '../source/method-habits.ts';
import { namesInPath } from '../fields/names-in-path.ts';
import { warnEncodedTwice } from '../fields/encoded-twice.ts';
import type { CallTarget, Template } from '../model.ts';
import { partOfScalar, type ScalarNode } from '../source/source-file.ts';
import type { Findings } from '../source/findings.ts';
import type { StepReader } from './step-reader.ts';

export interface RequestLine {
  readonly method: string;
  readonly where: string;
  readonly written: string;
  readonly target: CallTarget;
}

/** Reads `METHOD service /path`, `METHOD https://…`, `METHOD /path` or `METHOD service ${address}`. */
export function readRequestLine(
  reader: StepReader,
  node: ScalarNode,
  scope: StaticScope,
): RequestLine | undefined {
  const { fields, project } = reader;
  const { findings } = fields;
  const [, method, gap, rest] = /^(\S+)(\s*)([\s\S]*)$/.exec(node.text) ?? [];
  if (method === undefined || gap === undefined || rest === undefined || rest === '') {
    const start = findings.file.text.lastIndexOf('call', node.range[0]);
    findings.problem(
      node,
      'wrong-form',
      'a call is METHOD service /path',
      /\.ya?ml$/.test(node.text) && start >= 0
        ? {
            hint: 'another chain is followed',
            change: { range: [start, node.range[1]], text: `follow: ${node.text}` },
          }
        : { example: 'call: GET kiln /racks' },
    );
    return undefined;
  }
  const swapped = /^([A-Z]+)\s+([\s\S]+)$/.exec(rest);
  if (project.services.has(method) && swapped) {
    findings.problem(
      node,
      'wrong-form',
      'the method stands before the service',
      findings.becomes(node, `${swapped[1]!} ${method} ${swapped[2]!}`),
    );
    return undefined;
  }
  if (!/^[A-Z][A-Z-]*$/.test(method)) {
    const upper = method === 'curl' ? 'GET' : method.replace(/[:,]$/, '').toUpperCase();
    const meant = project.services.has(method)
      ? `GET ${method} ${rest}`
      : `${methodMeantBy(method.replace(/[:,]$/, '')) ?? upper} ${rest}`;
    findings.problem(
      node,
      'wrong-form',
      method === 'curl'
        ? 'a call begins with its method; batharon import curl reads a whole curl line'
        : `${method} is no method of HTTP`,
      METHODS.has(meant.split(' ', 1)[0]!)
        ? findings.becomes(node, meant)
        : { example: 'call: GET kiln /racks' },
    );
    return undefined;
  }
  if (!METHODS.has(method)) {
    const near = methodMeantBy(method) ?? nearest(method, METHODS);
    if (near !== undefined)
      findings.warn(
        node,
        'unknown-method',
        `${method} is no registered method of HTTP`,
        findings.partBecomes(node, [0, method.length], near, `the nearest is ${near}`),
      );
  }
  const at = method.length + gap.length;
  const behind = /^(\/\S*)\s+([\w-]+)$/.exec(rest);
  if (behind && project.services.has(behind[2]!)) {
    findings.problem(
      node.offset(at + behind[1]!.length + 1),
      'wrong-form',
      'the service stands before the path',
      findings.becomes(node, `${method} ${behind[2]!} ${behind[1]!}`),
    );
    return undefined;
  }
  const inQuotes = /^((?:\S+\s+)?)(["'])([^"']*)\2$/.exec(rest);
  if (inQuotes) {
    findings.problem(
      node.offset(at + inQuotes[1]!.length),
      'wrong-form',
      'a path stands without quotes of its own',
      findings.becomes(node, `${method} ${inQuotes[1]!}${inQuotes[3]!}`),
    );
    return undefined;
  }
  const named = /^https?:\/\/([^/?#\s]+)/.exec(rest);
  if (named && project.services.has(named[1]!)) {
    const path = rest.slice(named[0].length);
    findings.problem(
      node.offset(at),
      'wrong-form',
      `${named[1]!} is a service of the project, and its URL stands there`,
      findings.becomes(node, `${method} ${named[1]!} ${path.startsWith('/') ? path : `/${path}`}`),
    );
    return undefined;
  }
  if (/^https?:\/\//.test(rest)) return readUrl(reader, node, scope, { method, from: at });
  const services = [...project.services.keys()];
  const otherwise = serviceOtherwise(rest, (one) => project.services.has(one) && !scope.lookup(one));
  if (otherwise) {
    findings.problem(
      node.offset(at + otherwise.from),
      'wrong-form',
      otherwise.from > 0
        ? 'a blank stands between the service and the path'
        : `the service ${otherwise.service} stands by its name alone`,
      findings.becomes(node, `${method} ${otherwise.service} ${otherwise.path}`),
    );
    return undefined;
  }
  const [, word, blanks, path] = /^([^\s/$]\S*)(\s+)([\s\S]+)$/.exec(rest) ?? [];
  const service = word ?? (services.length === 1 ? services[0] : undefined);
  if (service === undefined) {
    const lone = /^[^\s/$]\S*$/.test(rest);
    const message = lone
      ? `${rest} is a service without a path, or a path without its /`
      : services.length === 0
        ? 'no project file describes a service, so a call needs a whole URL'
        : 'the project has several services, so a call names one';
    const hint = lone
      ? `${method} ${rest} /`
      : services.length === 0
        ? `${method} https://… , or services: in batharon.yaml`
        : `${method} ${services[0]!} ${rest}`;
    findings.problem(
      node,
      services.length === 0 ? 'unknown-service' : 'wrong-form',
      message,
      services.length === 0 ? hint : findings.becomes(node, hint),
    );
    return undefined;
  }
  if (!project.services.has(service)) {
    const near = nearest(service, services);
    findings.problem(
      node.offset(at),
      'unknown-service',
      `the project has no service ${service}`,
      near !== undefined
        ? findings.partBecomes(node, [at, at + service.length], near, `the nearest is ${near}`)
        : {
            hint:
              services.length > 0
                ? `it has ${services.join(', ')}`
                : 'services: in batharon.yaml describes where it lives',
            name: service,
          },
    );
    fields.template(node, scope, { raw: true, hint: false });
    return undefined;
  }
  const from = at + (word?.length ?? 0) + (blanks?.length ?? 0);
  const template = fields.template(partOfScalar(node, from), scope, { raw: true, hint: false });
  if (!template) return undefined;
  const written = `${service} ${path ?? rest}`;
  const [first] = template.parts;
  if (typeof first === 'object' && template.parts.length === 1) {
    return { method, where: written, written, target: { type: 'address', service, address: first } };
  }
  warnEncodedTwice(findings, template.parts);
  if (typeof first !== 'string' || !first.startsWith('/')) {
    findings.problem(
      node.offset(from),
      'wrong-form',
      'a path begins with /',
      findings.becomes(
        node,
        checkExpression(path ?? rest, scope).expression && (path ?? rest).includes('.')
          ? `${method} ${service} \${${path ?? rest}}`
          : `${method} ${service} /${path ?? rest}`,
      ),
    );
    return undefined;
  }
  if (!namesInPath(findings, { node, from, scope })) checkPath(reader, node, from, { template, scope });
  return { method, where: written, written, target: { type: 'service', service, path: template } };
}

/** `kiln/racks`, `{{kiln}}/racks`, `${services.kiln.url}/racks`: a service and a path otherwise than with a blank between them. */
function serviceOtherwise(
  rest: string,
  isService: (name: string) => boolean,
): { readonly service: string; readonly path: string; readonly from: number } | undefined {
  const [, sign = '', of = '', service = '', after = '', path = ''] =
    /^(\{\{\s*|\$\{\s*|<|\$|@|:)?(services?\.)?([\w-]+)((?:\.(?:base[_-]?)?url)?(?:\s*\}\}|\s*\}|>)?)(?:[.:]?\/+|[.:]\s*|\s+(?=\/))(.*)$/i.exec(
      rest,
    ) ?? [];
  const isPlain = sign === '' && of === '' && after === '';
  if (!isService(service) || (isPlain && rest.startsWith(`${service} `))) return undefined;
  return { service, path: `/${path.replace(/^\/+/, '')}`, from: isPlain ? service.length : 0 };
}

/** The change by which a value is a shorter one, and a key of its own stands below it. */
function lineOfItsOwn(findings: Findings, node: ScalarNode, shorter: string, key: string): Change {
  const start = findings.file.text.lastIndexOf('\n', node.range[0]) + 1;
  const lead = /^[ -]*/.exec(findings.file.text.slice(start))![0];
  return { range: node.range, text: `${asScalar(shorter, node.flow)}\n${' '.repeat(lead.length)}${key}` };
}

/** A path has no blanks, and what is inserted into it is one value. */
function checkPath(
  { fields: { findings }, project }: StepReader,
  node: ScalarNode,
  from: number,
  { template: { parts }, scope }: { readonly template: Template; readonly scope: StaticScope },
): void {
  const written = node.text.slice(from).replace(/\$\{[^}]*\}/g, (all) => 'x'.repeat(all.length));
  const version = /(?<!\s)\s+HTTP(?:\/[\d.]+)?$/.exec(written);
  if (version) {
    findings.problem(
      node.offset(from + version.index + 1),
      'wrong-form',
      'a call does not name the version of HTTP',
      findings.becomes(node, node.text.slice(0, from + version.index)),
    );
    return;
  }
  const option = /(?<!\s)\s+(?:-[A-Za-z]\b|--[a-z][\w-]*).*$/.exec(written);
  if (option) {
    findings.problem(
      node.offset(from + option.index + 1),
      'wrong-form',
      `${option[0].trim().split(' ', 1)[0]!} is an option of curl; batharon import curl reads a whole curl line`,
      findings.becomes(node, node.text.slice(0, from + option.index)),
    );
    return;
  }
  const [carried, by, name] = /(?<!\s)\s+(as|with|using)\s+(\w+)$/.exec(written) ?? [];
  if (carried !== undefined && (by === 'as' || project.credentials.has(name!))) {
    findings.problem(
      node.offset(from + written.length - carried.length),
      'wrong-form',
      'the credential of a call stands on a line of its own',
      {
        change: lineOfItsOwn(
          findings,
          node,
          node.text.slice(0, from + written.length - carried.length),
          `as: ${name!}`,
        ),
      },
    );
    return;
  }
  const [, signs] = /((?<!\s)\s+[{}()[\]<>|\\:;,]+|[;,])$/.exec(written) ?? [];
  if (signs !== undefined) {
    const end = written.length - signs.length;
    findings.warn(
      node.offset(from + end + signs.search(/\S/)),
      'sign-in-text',
      `the ${signs.trim()} at the end is sent as a part of the path`,
      findings.becomes(node, node.text.slice(0, from + end)),
    );
    return;
  }
  const [status, code] =
    /(?<!\s)\s+(?:->|=>|→|==?|returns?|gives?|should (?:be|return)|is|expect:?)\s*([1-5](?:\d\d|xx))$/i.exec(
      written,
    ) ?? [];
  if (status !== undefined) {
    const end = from + written.length - status.length;
    findings.warn(
      node.offset(end + 1),
      'blank-in-path',
      `${status.trim()} would be sent as a part of the path; what is expected stands on a line of its own`,
      {
        change: lineOfItsOwn(
          findings,
          node,
          node.text.slice(0, end),
          `expect: status == ${code!.toLowerCase()}`,
        ),
      },
    );
    return;
  }
  const word =
    /(?<!\s)\s+(?:(?:form|json|body|text|xml|multipart|headers|query|keep|expect|save|poll|retry|stream|pages|when|steps)$|(?:until|while|when|if|then|every|within|retry|poll|save|expect|keep|->|=>|→) .*$|[{[].*$)/.exec(
      written,
    );
  if (word) {
    findings.warn(
      node.offset(from + word.index + 1),
      'blank-in-path',
      `${word[0].trim()} would be sent as a part of the path; each key of a call stands on a line of its own`,
      findings.becomes(node, node.text.slice(0, from + word.index)),
    );
    return;
  }
  const param = /(?<![\s/])[,;]?\s+(?=[\w.-]+=\S)/.exec(written);
  if (param) {
    const at = from + param.index;
    const sign = written.slice(0, param.index).includes('?') ? '&' : '?';
    findings.warn(
      node.offset(at),
      'blank-in-path',
      'what stands here is sent as a part of the path; a query begins with ?',
      findings.partBecomes(node, [at, at + param[0].length], sign),
    );
    return;
  }
  // Between words it is one, sent as %20; beside a sign of the URL it was hardly meant.
  const blank = /(?<!\s)\s+(?=[/?&=])|(?<=[/?&=])\s+/.exec(written);
  if (blank) {
    const at = from + blank.index;
    findings.warn(
      node.offset(at),
      'blank-in-path',
      'this blank is sent as a part of the path (%20)',
      findings.partBecomes(node, [at, at + blank[0].length], '', 'leave it out, or write %20'),
    );
  }
  const query = /[?&]\$\{((?!raw\()[^}]*)\}(?=$|&)/.exec(node.text.slice(from));
  if (query)
    findings.warn(
      node.offset(from + query.index + 1),
      'query-as-value',
      'what is inserted here is encoded as one value, with its & and =',
      `query: \${…} on the call, with an object; raw(${query[1]!}) inserts it as it is`,
    );
  for (const part of parts) {
    if (typeof part === 'string' || !isOnly(part.expression.kind, BIT.list | BIT.object)) continue;
    const { span } = part.expression.tree;
    const source = part.expression.text.slice(...span);
    const { members } = part.expression.kind;
    const near = nearest(
      source,
      scope
        .names()
        .filter((name) => name !== source && mayBe(scope.lookup(name)?.kind ?? LIST, BIT.text | BIT.number)),
    );
    const text =
      near ??
      (isOnly(part.expression.kind, BIT.list)
        ? `join(${source}, ',')`
        : members && !members.has('id')
          ? `json(${source})`
          : `${source}.id`);
    const start = node.text.indexOf(`\${${source}}`);
    findings.problem(
      start < 0 ? node : node.offset(start + 2),
      'wrong-kind',
      `${source} is ${kindWords(part.expression.kind.bits)}, and a path takes one value`,
      start < 0 ? text : findings.partBecomes(node, [start + 2, start + 2 + source.length], text),
    );
  }
}

function readUrl(
  reader: StepReader,
  node: ScalarNode,
  scope: StaticScope,
  { method, from }: { readonly method: string; readonly from: number },
): RequestLine | undefined {
  const { fields } = reader;
  const rest = partOfScalar(node, from);
  const url = fields.template(rest, scope, { raw: true, hint: false });
  if (!url) return undefined;
  warnEncodedTwice(fields.findings, url.parts);
  const literal = typeof url.parts[0] === 'string' ? url.parts[0] : '';
  const origin = /^(https?:\/\/[^/?#\s]+)(?:[/?#]|$)/.exec(literal)?.[1];
  if (origin === undefined || (!/[/?#]/.test(literal.slice(8)) && url.parts.length > 1)) {
    fields.findings.problem(
      rest,
      'wrong-form',
      'the host of a URL is written out; insertions come after it',
      'services: in batharon.yaml, with an environment for each host',
    );
    return undefined;
  }
  if (/@/.test(origin)) {
    fields.findings.problem(
      rest,
      'secret-in-plain-text',
      'user and password stand readable in this URL',
      'a credential of kind basic in batharon.yaml',
    );
    return undefined;
  }
  return { method, where: rest.text, written: rest.text, target: { type: 'url', url, origin } };
}
