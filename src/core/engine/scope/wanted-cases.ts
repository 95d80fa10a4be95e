import { nameList, nearest } from '../../language/nearest.ts';
import type { Problem } from '../../problems.ts';

/** So many titles are kept to say which there are. */
const MOST_TITLES = 1000;

/** Which iterations of a loop are wanted. */
export interface WantedCases {
  /** Whether the iteration of this title is. */
  wants(title: string, iteration: number): boolean;
}

/** The titled iterations that a run is to carry out, in whatever loops they stand. */
export class Cases {
  readonly #wanted: readonly string[];
  readonly #met = new Set<string>();
  readonly #titles = new Set<string>();
  /** The iterations that are carried out, by their addresses: in them nothing is left out. */
  readonly #whole = new Set<string>();

  constructor(wanted: readonly string[]) {
    this.#wanted = wanted;
  }

  /** Those of the loop at an address; undefined where it stands in an iteration that is carried out whole. */
  in(loop: string): WantedCases | undefined {
    for (let end = loop.lastIndexOf(']'); end > 0; end = loop.lastIndexOf(']', end - 1))
      if (this.#whole.has(loop.slice(0, end + 1))) return undefined;
    return {
      wants: (title, iteration) => {
        if (this.#titles.size < MOST_TITLES) this.#titles.add(title);
        if (!this.#wanted.includes(title)) return false;
        this.#met.add(title);
        this.#whole.add(`${loop}[${iteration}]`);
        return true;
      },
    };
  }

  /** What is wrong where one was not met with. */
  get missing(): Problem | undefined {
    const missing = this.#wanted.find((one) => !this.#met.has(one));
    if (missing === undefined) return undefined;
    const titles = [...this.#titles];
    return {
      code: 'no-such-case',
      message: `no iteration is called '${missing}'`,
      hint:
        nearest(missing, titles) ??
        (titles.length === 0 ? 'no loop with a title was reached' : `there are ${nameList(titles, 20)}`),
    };
  }
}
