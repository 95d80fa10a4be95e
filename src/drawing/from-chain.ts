import type {
  CallStep,
  Chain,
  EachStep,
  Insertion,
  Pause,
  PlacedExpression,
  Setting,
  Step,
  Template,
} from '../core/chain/model.ts';
import type { Credential, Project } from '../core/chain/project.ts';
import { brief, shorten } from '../core/language/show.ts';
import { Duration } from '../core/language/values.ts';
import { CHAIN, type Frame, type DrawnItem, Participants, type Sequence } from './sequence.ts';

/** So much of an expression or a text stands in a drawing, in characters. */
const LONGEST = 70;

/** A chain as it is written: its requests, loops, conditions, and what is done at the end. */
export function sequenceOfChain(chain: Chain, project: Project): Sequence {
  const drawing = new ChainDrawing(project);
  const steps = drawing.steps(chain.steps);
  return {
    title: chain.title,
    participants: drawing.participants,
    items: [
      ...steps,
      ...atTheEnd('take back what was done, the last first', drawing.undo(chain)),
      ...atTheEnd('clean up, whatever happened', drawing.steps(chain.cleanup)),
    ],
  };
}

function atTheEnd(label: string, items: readonly DrawnItem[]): DrawnItem[] {
  return items.length === 0 ? [] : [{ type: 'frame', operator: 'strict', sections: [{ label, items }] }];
}

/** The steps with an undo, those inside of others included; not those of chains that are followed, which stand there. */
function undoSteps(steps: readonly Step[]): Step[] {
  return steps.flatMap((step) => {
    const inside =
      step.type === 'group'
        ? [...step.steps, ...(step.otherwise ?? [])]
        : step.type === 'each' || step.type === 'repeat'
          ? step.steps
          : [];
    return [...(step.undo.length > 0 ? [step] : []), ...undoSteps(inside)];
  });
}

class ChainDrawing {
  readonly #project: Project;
  readonly #participants: Participants;
  /** Credentials that have signed in already. */
  readonly #signedIn = new Set<string>();

  constructor(project: Project) {
    this.#project = project;
    this.#participants = new Participants();
  }

  get participants(): Sequence['participants'] {
    return this.#participants.all;
  }

  /** What takes back what a chain did, the last first. */
  undo(chain: Chain): DrawnItem[] {
    return undoSteps(chain.steps)
      .toReversed()
      .flatMap((step) => this.steps(step.undo));
  }

  steps(steps: readonly Step[]): DrawnItem[] {
    return steps.flatMap((step) => this.#step(step));
  }

  #step(step: Step): DrawnItem[] {
    const items = this.#does(step);
    // A group has its condition as its own frame.
    if (!step.when || (step.type === 'group' && items[0]?.type === 'frame')) return items;
    return [frame('opt', source(step.when), items)];
  }

  #does(step: Step): DrawnItem[] {
    switch (step.type) {
      case 'call':
        return this.#call(step);
      case 'group': {
        const inside = this.steps(step.steps);
        if (!step.when) return inside;
        if (!step.otherwise) return [frame('opt', source(step.when), inside)];
        return [
          {
            type: 'frame',
            operator: 'alt',
            sections: [
              { label: source(step.when), items: inside },
              { label: 'else', items: this.steps(step.otherwise) },
            ],
          },
        ];
      }
      case 'each':
        return [frame('loop', eachWords(step), this.steps(step.steps)), ...gathered(step)];
      case 'repeat':
        return [
          frame(
            'loop',
            [`until ${source(step.until)}`, `at most ${amount(step.upTo)} times`, ...every(step.every)].join(
              ', ',
            ),
            this.steps(step.steps),
          ),
        ];
      case 'follow': {
        const { chain } = step;
        return [
          frame('ref', chain.title, [
            ...this.steps(chain.steps),
            ...atTheEnd('take back at the end of the run', this.undo(chain)),
            ...atTheEnd('clean up at the end of the run', this.steps(chain.cleanup)),
          ]),
          ...this.#shows(step),
        ];
      }
      case 'wait':
        return [note(`waits ${settingWords(step.duration, duration)}`)];
      case 'ask': {
        const person = this.#participants.person();
        return [
          { type: 'message', from: CHAIN, to: person, text: textOf(step.question) },
          { type: 'reply', from: person, to: CHAIN, text: step.name },
        ];
      }
      case 'plain': {
        const does = [
          ...step.expect.map(({ condition }) => `expects ${source(condition)}`),
          ...(step.keep.length > 0 ? [`keeps ${step.keep.map(({ name }) => name).join(', ')}`] : []),
        ];
        return [...does.map(note), ...this.#shows(step)];
      }
    }
  }

  #call(step: CallStep): DrawnItem[] {
    const { target } = step;
    const service = target.type === 'url' ? hostOf(target.origin) : target.service;
    const to = this.#participants.other(service);
    const expects = step.expect.find(({ condition }) => /^status\b/.test(condition.expression.text));
    const kept = step.keep.map(({ name }) => name).join(', ');
    const path =
      target.type === 'service'
        ? textOf(target.path)
        : target.type === 'url'
          ? textOf(target.url).replace(/^https?:\/\/[^/]*/, '')
          : '(the address that came)';
    const text = `${step.method} ${path}${step.name === undefined ? '' : ` · ${step.name}`}`;
    const reply = [expects ? source(expects.condition) : '', kept === '' ? '' : `keeps ${kept}`]
      .filter((part) => part !== '')
      .join(' · ');
    const request: DrawnItem[] = [
      { type: 'message', from: CHAIN, to, text: shorten(text, LONGEST) },
      { type: 'reply', from: to, to: CHAIN, text: shorten(reply === '' ? 'response' : reply, LONGEST) },
    ];
    const { callback, pages, poll, retry } = step;
    const repeated = poll
      ? [
          frame(
            'loop',
            [
              `until ${source(poll.until)}`,
              ...every(poll.every),
              `within ${settingWords(poll.within, duration)}`,
            ].join(', '),
            request,
          ),
        ]
      : pages
        ? [frame('loop', `each page, at most ${amount(pages.upTo)}`, request)]
        : retry
          ? [frame('loop', `at most ${amount(retry.attempts)} attempts, on ${retry.on.join(', ')}`, request)]
          : request;
    return [
      ...this.#signIn(step),
      ...repeated,
      ...(callback
        ? [
            {
              type: 'message' as const,
              from: to,
              to: CHAIN,
              text: `calls back, within ${settingWords(callback.within, duration)}`,
            },
          ]
        : []),
      ...(step.write ? [note(`writes a row to ${textOf(step.write.to)}`)] : []),
      ...(step.save ? [note(`saves the body as ${textOf(step.save.path)}`)] : []),
      ...this.#shows(step),
    ];
  }

  /** A credential that gets something from elsewhere before it is sent, the first time. */
  #signIn(step: CallStep): DrawnItem[] {
    const { target } = step;
    const service = target.type === 'url' ? undefined : this.#project.services.get(target.service);
    const as = step.as ?? service?.as;
    const credential = as === undefined ? undefined : this.#project.credentials.get(as);
    if (!credential || !signsIn(credential) || this.#signedIn.has(credential.name)) return [];
    this.#signedIn.add(credential.name);
    const to = this.#participants.other(service?.name ?? credential.name);
    return [
      { type: 'message', from: CHAIN, to, text: `sign in as ${credential.name} (${credential.kind})` },
      { type: 'reply', from: to, to: CHAIN, text: credential.signIn ? 'what it returns' : 'token' },
    ];
  }

  #shows(step: Step): DrawnItem[] {
    return step.show ? [note(`shows ${textOf(step.show)}`)] : [];
  }
}

function signsIn({ kind, signIn }: Credential): boolean {
  return signIn !== undefined || kind === 'oauth2';
}

function gathered({ gather }: EachStep): DrawnItem[] {
  return gather.length === 0 ? [] : [note(`gathers ${gather.map(({ name }) => name).join(', ')}`)];
}

function eachWords(step: EachStep): string {
  const atOnce = amount(step.atOnce);
  return [
    `each ${step.names.join(', ')} in ${source(step.items)}`,
    ...(atOnce === '1' ? [] : [`${atOnce} at once`]),
    ...(step.until ? [`until ${source(step.until)}`] : []),
  ].join(', ');
}

export function frame(operator: Frame['operator'], label: string, items: readonly DrawnItem[]): Frame {
  return { type: 'frame', operator, sections: [{ label, items }] };
}

function note(text: string): DrawnItem {
  return { type: 'note', over: CHAIN, text: shorten(text, LONGEST) };
}

function source({ expression: { text } }: PlacedExpression): string {
  return shorten(text.replace(/\s+/g, ' ').trim(), LONGEST);
}

/** What stands in the braces of an insertion. */
function insertedIn({ expression: { text, tree } }: Insertion): string {
  return text.slice(...tree.span);
}

/** A text as it is written. */
function textOf({ parts }: Template): string {
  const text = parts.map((part) => (typeof part === 'string' ? part : `\${${insertedIn(part)}}`)).join('');
  return text.replace(/\s+/g, ' ');
}

function settingWords<T>(setting: Setting<T>, words: (value: T) => string): string {
  return 'value' in setting ? words(setting.value) : `\${${insertedIn(setting.insertion)}}`;
}

function amount(setting: Setting<number>): string {
  return settingWords(setting, String);
}

function duration(value: Duration): string {
  return brief(value);
}

function every({ least, most }: Pause): string[] {
  const words = settingWords(least, duration);
  if (words === '0ms' || words === '0s') return [];
  return [`every ${words}${most === undefined ? '' : `..${duration(new Duration(most))}`}`];
}

function hostOf(origin: string): string {
  return origin.replace(/^https?:\/\//, '');
}
