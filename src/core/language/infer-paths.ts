import type { Replacement } from '../problems.ts';
import type { Inferring, InferContext } from './inferring.ts';
import { ANY, BIT, isOnly, JSON_VALUE, type Kind, kindWords, listOf, maybe, mayBe, union } from './kinds.ts';
import { nameList, nearest } from './nearest.ts';
import { memberText } from './path-text.ts';
import { givesNodes, type QueryTree, type Segment, type Selector } from './tree.ts';

/** The kind of what a path finds. */
export function inferQuery(self: Inferring, tree: QueryTree, context: InferContext): Kind {
  const base = self.kind(tree.base, tree.base.type === 'name' ? { ...context, isOwner: true } : context);
  let kind = givesNodes(tree.base) ? listOf(base) : base;
  const nothingBefore = kind.bits & BIT.nothing;
  let end = tree.base.span[1];
  for (const segment of tree.segments) {
    const before = self.text.slice(tree.span[0], end);
    kind = inferSegment(self, kind, segment, { before, context });
    end = segment.span[1];
  }
  return nothingBefore ? maybe(kind) : kind;
}

function inferSegment(
  self: Inferring,
  kind: Kind,
  segment: Segment,
  { before, context }: { readonly before: string; readonly context: InferContext },
): Kind {
  const found = segment.selectors.map((selector) =>
    inferSelected(self, segment.descendant ? JSON_VALUE : kind, selector, { before, segment, context }),
  );
  return found.reduce(union);
}

function inferSelected(
  self: Inferring,
  kind: Kind,
  selector: Selector,
  {
    before,
    segment,
    context,
  }: { readonly before: string; readonly segment: Segment; readonly context: InferContext },
): Kind {
  const quiet = context.filter || segment.descendant;
  switch (selector.type) {
    case 'name': {
      if (kind.caseless) (selector as { name: string }).name = selector.name.toLowerCase();
      const member = kind.members?.get(selector.name);
      if (member) return mayBe(kind, BIT.nothing) ? maybe(member) : member;
      const onlyObject = isOnly(kind, BIT.object | BIT.nothing);
      if (kind.closed && onlyObject && !quiet) {
        const names = [...kind.members!.keys()];
        const synonym = STEP_MEMBERS[selector.name];
        const near =
          synonym !== undefined && names.includes(synonym) ? synonym : nearest(selector.name, names);
        if (!context.tolerant) {
          const said = kind.describedAt === undefined ? '' : ` (${kind.describedAt})`;
          self.problem(
            nameIn(self, segment),
            'unknown-member',
            `${before} has no member ${selector.name}${said}`,
            {
              ...(near === undefined
                ? kind.members!.has('body')
                  ? {
                      hint: `it has ${nameList(names)}; what the response has is in ${before}.body`,
                      replace: AROUND_BODY.has(selector.name)
                        ? {
                            span: segment.span,
                            text: /^\.(?:body|status|headers)\b/.test(self.text.slice(segment.span[1]))
                              ? ''
                              : '.body',
                          }
                        : { span: [segment.span[0], segment.span[0]], text: '.body' },
                    }
                  : names.length > 0
                    ? { hint: `it has ${nameList(names)}` }
                    : {}
                : {
                    hint: `the nearest is ${before}.${near}`,
                    replace: replacedMember(self, segment, near),
                  }),
              // What the project defines is missing there, not where it is used.
              name: OF_PROJECT.has(before) ? selector.name : before,
            },
          );
        }
        return ANY;
      }
      if (!mayBe(kind, BIT.object | BIT.nothing) && !quiet)
        refuseMember(self, kind, selector.name, { before, segment });
      return kind.caseless ? { bits: BIT.text } : JSON_VALUE;
    }
    case 'index':
      if (!mayBe(kind, BIT.list | BIT.nothing) && !quiet) {
        self.problem(
          segment,
          'wrong-kind',
          `${before} is ${kindWords(kind.bits)}, which has no items`,
          mayBe(kind, BIT.text) ? `slice(${before}, 0, 1) for a part of a text` : undefined,
        );
      }
      return kind.item ?? JSON_VALUE;
    case 'filter': {
      const item = kind.item ?? (mayBe(kind, BIT.object) && kind.members ? JSON_VALUE : JSON_VALUE);
      refuseUnfilterable(self, kind, before, { segment, quiet });
      self.condition(selector.condition, {
        ...context,
        filter: true,
        item: kind.item ? item : JSON_VALUE,
        tolerant: false,
      });
      return item;
    }
    default:
      refuseUnfilterable(self, kind, before, { segment, quiet });
      return kind.item ?? JSON_VALUE;
  }
}

/** Where the name of a member stands, behind its point. */
function nameIn(self: Inferring, { span: [start, end] }: Segment): { span: readonly [number, number] } {
  return { span: [start + (self.text[start] === '.' ? 1 : 0), end] };
}

/** Another member in the place of one; behind its point, where it can stand there. */
/** What other programs call what is known of a step that has ended, or of a response. */
const STEP_MEMBERS: Readonly<Record<string, string>> = {
  passed: 'ok',
  success: 'ok',
  successful: 'ok',
  succeeded: 'ok',
  isOk: 'ok',
  error: 'problem',
  failure: 'problem',
  statusCode: 'status',
  status_code: 'status',
  code: 'status',
  duration: 'elapsed',
  time: 'elapsed',
  retries: 'attempts',
  header: 'headers',
  content: 'body',
};

/** What other programs call the response of a step, or its body. */
const AROUND_BODY: ReadonlySet<string> = new Set(['response', 'res', 'result', 'json', 'output', 'outputs']);

/** What an expression has of the project. */
const OF_PROJECT: ReadonlySet<string> = new Set(['secret', 'services', 'values']);

function replacedMember(self: Inferring, { span: [start, end] }: Segment, name: string): Replacement {
  const text = memberText(name);
  return self.text[start] === '.' && text.startsWith('.')
    ? { span: [start + 1, end], text: text.slice(1) }
    : { span: [start, end], text };
}

function refuseUnfilterable(
  self: Inferring,
  kind: Kind,
  before: string,
  { segment, quiet }: { readonly segment: Segment; readonly quiet: boolean },
): void {
  if (!quiet && !mayBe(kind, BIT.list | BIT.object | BIT.nothing)) {
    self.problem(
      segment,
      'wrong-kind',
      `${before} is ${kindWords(kind.bits)}, which has no items or members`,
    );
  }
}

function refuseMember(
  self: Inferring,
  kind: Kind,
  name: string,
  { before, segment }: { readonly before: string; readonly segment: Segment },
): void {
  const isStream = before === '$' && self.scope.lookup('item')?.given === true;
  const way = isStream
    ? {
        hint: `item.${name} of the newest one`,
        replace: { span: [segment.span[0] - 1, segment.span[1]] as const, text: `item${memberText(name)}` },
      }
    : isOnly(kind, BIT.list)
      ? {
          hint: `${before}[0].${name} for the first, ${before}[*].${name} for all`,
          replace: `[0]${memberText(name)}`,
        }
      : isOnly(kind, BIT.time)
        ? { hint: `text(${before}), date(${before}), epoch(${before}) or format(${before}, 'yyyy')` }
        : undefined;
  self.problem(segment, 'wrong-kind', `${before} is ${kindWords(kind.bits)}, which has no members`, way);
}
