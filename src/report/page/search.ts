import type { PageRun, PageStep } from './data.ts';

/** A step, and all that is to be found in it, in small letters. */
interface Indexed {
  readonly step: PageStep;
  readonly text: string;
}

/** Finds steps by any text of theirs: names, addresses, URLs, bodies, what was expected and what came. */
export class Search {
  readonly #all: Indexed[] = [];

  constructor(runs: readonly PageRun[]) {
    for (const { cleanup, steps, undo } of runs)
      for (const step of [...steps, ...undo, ...cleanup]) this.#add(step);
  }

  #add(step: PageStep): void {
    const { address, expected = [], kept = [], name, notes = [], outcome, problem, requests = [] } = step;
    const texts = [
      address,
      name,
      outcome,
      problem?.message ?? '',
      problem?.code ?? '',
      ...expected.flatMap(({ got, condition }) => [condition, got ?? '']),
      ...kept.map(([own, value]) => `${own}: ${value}`),
      ...notes.map(([label, text]) => `${label} ${text}`),
      ...requests.flatMap(({ response, body, method, problem: why, url }) => [
        `${method} ${url}`,
        body?.text ?? '',
        why?.message ?? '',
        response ? `${response.status} ${response.body.type ?? ''} ${response.body.text ?? ''}` : '',
      ]),
    ];
    if (!step.iterations || requests.length > 0 || problem)
      this.#all.push({ step, text: texts.join('\n').toLowerCase() });
    for (const inner of step.steps ?? []) this.#add(inner);
    for (const iteration of step.iterations ?? []) for (const inner of iteration.steps) this.#add(inner);
  }

  /** The steps in which all words stand; those that failed first. */
  find(wanted: string): PageStep[] {
    const words = wanted
      .toLowerCase()
      .split(/\s+/)
      .filter((word) => word !== '');
    const found = this.#all.filter(({ text }) => words.every((word) => text.includes(word)));
    const failed = found.filter(({ step }) => step.outcome === 'failed');
    return [...failed, ...found.filter(({ step }) => step.outcome !== 'failed')].map(({ step }) => step);
  }
}
