import { memberText } from '../../core/language/path-text.ts';
import type { ArazzoCriterion } from './arazzo-document.ts';

/** Where the values of a workflow are in a chain: the names of inputs, and of outputs by `step.output`. */
export interface NamesOfWorkflow {
  readonly inputs: ReadonlyMap<string, string>;
  readonly outputs: ReadonlyMap<string, string>;
}

/** A runtime expression, wherever it stands in a text (section 4.3 of the Arazzo Specification 1.0). */
const EXPRESSION =
  /\$(?:statusCode|url|method|response|request|inputs|steps|workflows|outputs|sourceDescriptions)(?:\.[A-Za-z_][\w-]*)*(?:#\/[^\s"')&|=<>!]*|\[\d+\]|\.[A-Za-z_][\w-]*)*/g;

/** What a runtime expression is in the language of chains; undefined if it has nothing that corresponds. */
export function expressionOf(text: string, names: NamesOfWorkflow): string | undefined {
  const [, root = '', rest = ''] = /^\$([A-Za-z]+)(.*)$/s.exec(text) ?? [];
  switch (root) {
    case 'statusCode':
      return rest === '' ? 'status' : undefined;
    case 'url':
      return rest === '' ? 'url' : undefined;
    case 'response':
    case 'request':
      return ofMessage(root, rest);
    case 'inputs': {
      const [, name = '', behind = ''] = /^\.([\w-]+)(.*)$/s.exec(rest) ?? [];
      const own = names.inputs.get(name);
      return own === undefined ? undefined : withBehind(own, behind);
    }
    case 'steps': {
      const [, step = '', name = '', behind = ''] = /^\.([\w-]+)\.outputs\.([\w-]+)(.*)$/s.exec(rest) ?? [];
      const own = names.outputs.get(`${step}.${name}`);
      return own === undefined ? undefined : withBehind(own, behind);
    }
    case 'sourceDescriptions': {
      const [, name] = /^\.(\w+)\.url$/.exec(rest) ?? [];
      return name === undefined ? undefined : `services.${name}.url`;
    }
    default:
      return undefined;
  }
}

function ofMessage(root: 'request' | 'response', rest: string): string | undefined {
  const [, header] = /^\.header\.([\w-]+)$/.exec(rest) ?? [];
  if (header !== undefined) return root === 'response' ? `headers['${header}']` : `sent.headers['${header}']`;
  const [, behind] = /^\.body(.*)$/s.exec(rest) ?? [];
  return behind === undefined ? undefined : withBehind(root === 'response' ? '$' : 'sent.json', behind);
}

/** A JSON pointer behind `#`, or members with points. */
function withBehind(base: string, behind: string): string | undefined {
  if (behind === '') return base;
  if (behind.startsWith('#/'))
    return (
      base +
      behind
        .slice(2)
        .split('/')
        .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'))
        .map((part) => (/^\d+$/.test(part) ? `[${part}]` : memberText(part)))
        .join('')
    );
  return /^(?:\.[A-Za-z_][\w-]*|\[\d+\])*$/.test(behind)
    ? base + behind.replace(/\.([\w-]+)/g, (_, name: string) => memberText(name))
    : undefined;
}

/** The condition of a criterion in the language of chains; undefined if it has nothing that corresponds. */
export function conditionOfCriterion(
  { condition, context, type = 'simple' }: ArazzoCriterion,
  names: NamesOfWorkflow,
): string | undefined {
  if (type === 'simple') {
    const lost: string[] = [];
    const written = condition.replace(EXPRESSION, (expression) => {
      const own = expressionOf(expression, names);
      if (own === undefined) lost.push(expression);
      return own ?? '';
    });
    return lost.length === 0 && !/\$[A-Za-z]/.test(written.replace(/'[^']*'/g, ''))
      ? written.trim()
      : undefined;
  }
  const about = context === undefined ? undefined : expressionOf(context, names);
  if (about === undefined) return undefined;
  if (type === 'jsonpath') {
    const path = condition.trim();
    return path.startsWith('$') ? `exists(${about}${path.slice(1)})` : undefined;
  }
  if (type === 'regex')
    return `search(${about === 'status' ? 'text(status)' : about}, '${condition.replace(/[\\']/g, '\\$&')}')`;
  return undefined;
}
