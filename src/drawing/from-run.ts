import { shorten } from '../core/language/show.ts';
import { countOf } from '../core/count-of.ts';
import {
  type RecordedAttempt,
  type RecordedIteration,
  type RecordedRun,
  type RecordedStep,
  iterationCounts,
} from '../core/record/recorded-run.ts';
import { timeWords } from '../core/units.ts';
import { frame } from './from-chain.ts';
import { CHAIN, type DrawnItem, type Mark, Participants, type Sequence } from './sequence.ts';

/** So much of a text stands in a drawing, in characters. */
const LONGEST = 70;

/** So many requests of one call are drawn; the rest is counted. */
const ATTEMPTS = 3;

/** A recorded run: what was sent and what came, how long it took, and what failed. Of a loop the iteration that tells most. */
export function sequenceOfRun(run: RecordedRun): Sequence {
  const drawing = new RunDrawing(run);
  const items = [
    ...drawing.steps(run.steps),
    ...ending('undo', drawing.steps(run.undo)),
    ...ending('cleanup', drawing.steps(run.cleanup)),
    ...(run.problem ? [problemNote(run.problem, 'failed')] : []),
  ];
  const outcome = run.outcome === 'unfinished' ? 'interrupted' : run.outcome;
  return {
    title: run.chain,
    subtitle: [
      ...(run.environment === undefined ? [] : [run.environment]),
      `run ${run.id}`,
      outcome,
      timeWords(run.elapsed),
      countOf(run.calls, 'call'),
    ].join(' · '),
    participants: drawing.participants,
    items,
  };
}

function ending(label: string, items: readonly DrawnItem[]): DrawnItem[] {
  return items.length === 0 ? [] : [frame('strict', label, items)];
}

function problemNote({ code, message }: { code: string; message: string }, mark: Mark): DrawnItem {
  return { type: 'note', over: CHAIN, text: shorten(`${code}: ${message}`.replace(/\s+/g, ' '), 120), mark };
}

class RunDrawing {
  readonly #participants = new Participants();
  readonly #services: readonly (readonly [name: string, origin: string])[];

  constructor({ services }: RecordedRun) {
    this.#services = Object.entries(services);
  }

  get participants(): Sequence['participants'] {
    return this.#participants.all;
  }

  steps(steps: readonly RecordedStep[]): DrawnItem[] {
    return steps.flatMap((step) => this.#step(step));
  }

  #step(step: RecordedStep): DrawnItem[] {
    const { began, outcome = 'interrupted', reason } = step;
    if (outcome === 'skipped')
      return [
        {
          type: 'note',
          over: CHAIN,
          text: shorten(`skips ${nameOf(step)}: ${reason ?? ''}`, LONGEST),
          mark: 'skipped',
        },
      ];
    const signIns = step.signIns.map(({ credential, kind }): DrawnItem => ({
      type: 'note',
      over: CHAIN,
      text: `signs in as ${credential} (${kind})`,
    }));
    return [...signIns, ...this.#does(step), ...this.#after(step, began.type === 'call')];
  }

  #does(step: RecordedStep): DrawnItem[] {
    const { began, outcome = 'interrupted' } = step;
    switch (began.type) {
      case 'call':
        return [...this.steps(step.steps), ...this.#attempts(step)];
      case 'each':
      case 'repeat':
        return [this.#loop(step)];
      case 'follow':
        return [{ ...frame('ref', began.title, this.steps(step.steps)), mark: outcome }];
      case 'ask': {
        const person = this.#participants.person();
        return [
          { type: 'message', from: CHAIN, to: person, text: nameOf(step) },
          {
            type: 'reply',
            from: person,
            to: CHAIN,
            text: shorten(step.kept.get(nameOf(step))?.value ?? '', LONGEST),
            mark: outcome,
          },
        ];
      }
      case 'wait':
        return [{ type: 'note', over: CHAIN, text: `waits ${timeWords(step.elapsed)}`, mark: outcome }];
      default:
        return this.steps(step.steps);
    }
  }

  /** What a step kept and said, and why it failed. */
  #after(step: RecordedStep, isCall: boolean): DrawnItem[] {
    const { kept, outcome = 'interrupted', problem, said } = step;
    const names = [...kept.keys()].join(', ');
    return [
      ...(!isCall && names !== '' && step.began.type !== 'ask'
        ? [{ type: 'note' as const, over: CHAIN, text: shorten(`keeps ${names}`, LONGEST) }]
        : []),
      ...said.map((text): DrawnItem => ({
        type: 'note',
        over: CHAIN,
        text: shorten(`shows ${text.replace(/\s+/g, ' ')}`, LONGEST),
      })),
      ...(problem && outcome !== 'passed' ? [problemNote(problem, outcome)] : []),
    ];
  }

  #attempts(step: RecordedStep): DrawnItem[] {
    const { attempts } = step;
    const last = attempts.length - 1;
    const items = (from: number, to: number): DrawnItem[] =>
      attempts.slice(from, to).flatMap((attempt, i) => this.#attempt(step, attempt, from + i === last));
    if (attempts.length <= ATTEMPTS) {
      const all = items(0, attempts.length);
      if (attempts.length < 2) return all;
      return [frame('loop', this.#repeatedWords(step), all)];
    }
    const more = attempts.length - 2;
    return [
      frame('loop', this.#repeatedWords(step), [
        ...items(0, 1),
        { type: 'note', over: CHAIN, text: `and ${countOf(more, 'request')} more` },
        ...items(last, last + 1),
      ]),
    ];
  }

  #repeatedWords({ attempts, pages, states }: RecordedStep): string {
    if (pages) return `${countOf(pages.page, 'page')}, ${countOf(pages.gathered, 'item')}`;
    return `${countOf(attempts.length, 'request')}${states === undefined ? '' : `: ${shorten(states, LONGEST)}`}`;
  }

  #attempt(step: RecordedStep, { failed, response, sent }: RecordedAttempt, isLast: boolean): DrawnItem[] {
    const to = this.#participants.other(this.#serviceOf(sent.url));
    const path = sent.url.replace(/^https?:\/\/[^/?#]*/, '') || '/';
    const name = /(?:^|\.)([A-Za-z_]\w*)$/.exec(step.address)?.[1];
    const kept = isLast ? [...step.kept.keys()].join(', ') : '';
    const outcome = step.outcome ?? 'interrupted';
    const mark: Mark = isLast && outcome !== 'skipped' ? outcome : failed ? 'failed' : 'passed';
    const reply = response
      ? [String(response.status), timeWords(response.elapsed), ...(kept === '' ? [] : [`keeps ${kept}`])]
      : [failed ? failed.problem.code : 'no response', ...(failed ? [timeWords(failed.elapsed)] : [])];
    return [
      {
        type: 'message',
        from: CHAIN,
        to,
        text: shorten(`${sent.method} ${path}${name === undefined ? '' : ` · ${name}`}`, LONGEST),
      },
      { type: 'reply', from: to, to: CHAIN, text: shorten(reply.join(' · '), LONGEST), mark },
      ...(isLast
        ? step.arrived.map(({ method, url }): DrawnItem => ({
            type: 'message',
            from: to,
            to: CHAIN,
            text: shorten(`calls back: ${method} ${url.replace(/^https?:\/\/[^/]*/, '')}`, LONGEST),
          }))
        : []),
    ];
  }

  #loop(step: RecordedStep): DrawnItem {
    const { all, failed } = iterationCounts(step);
    const outcome = step.outcome ?? 'interrupted';
    const shown = mostTelling(step.iterations);
    const words = [
      `${step.began.title}: ${countOf(all, 'iteration')}`,
      ...(failed > 0 ? [`${failed} failed`] : []),
      ...((step.iterationsBegan?.atOnce ?? 1) > 1 ? [`${step.iterationsBegan!.atOnce} at once`] : []),
      timeWords(step.elapsed),
    ].join(', ');
    const which = shown && (shown.title ?? shown.item);
    return {
      type: 'frame',
      operator: 'loop',
      mark: outcome,
      sections: [
        {
          label: words,
          items: shown
            ? [
                ...(all > 1
                  ? [
                      {
                        type: 'note' as const,
                        over: CHAIN,
                        text: shorten(
                          `[${shown.iteration}]${which === undefined ? '' : ` ${which}`}, ${timeWords(shown.elapsed)}`,
                          LONGEST,
                        ),
                        mark: shown.outcome ?? 'interrupted',
                      },
                    ]
                  : []),
                ...this.steps(shown.steps),
              ]
            : [],
        },
      ],
    };
  }

  #serviceOf(url: string): string {
    const origin = /^https?:\/\/[^/?#]*/.exec(url)?.[0] ?? url;
    return this.#services.find(([, one]) => one === origin)?.[0] ?? origin.replace(/^https?:\/\//, '');
  }
}

/** The first iteration that failed, else the first with steps that were recorded. */
function mostTelling(iterations: readonly RecordedIteration[]): RecordedIteration | undefined {
  return (
    iterations.find(({ outcome, steps }) => outcome !== 'passed' && steps.length > 0) ??
    iterations.find(({ steps }) => steps.length > 0) ??
    iterations[0]
  );
}

function nameOf({ address, began }: RecordedStep): string {
  return /(?:^|\.)([A-Za-z_]\w*)$/.exec(address)?.[1] ?? began.title;
}
