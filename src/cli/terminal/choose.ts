import {
  createPrompt,
  isDownKey,
  isEnterKey,
  isUpKey,
  makeTheme,
  useKeypress,
  usePagination,
  usePrefix,
  useRef,
  useState,
} from '@inquirer/core';

/** How many choices are shown at once, and how many can be moved through. */
const SHOWN = 10;
const MOVED_THROUGH = 1000;

interface Choosing {
  readonly message: string;
  /** What can be chosen, in order; what is typed filters it. */
  readonly choices: readonly { readonly name: string; readonly value: number }[];
  /** What is wrong with a choice; undefined where it will do. */
  readonly check: (value: number) => string | undefined;
}

/**
 * Asks for one of some choices, by the arrow keys or by typing a part of it. What is chosen is what the keys up to the return key
 * have left, however fast they come.
 */
export const choose = createPrompt<number, Choosing>(({ check, choices, message }, done) => {
  const [shown, setShown] = useState({ term: '', active: 0 });
  const [chosen, setChosen] = useState<string>();
  const [wrong, setWrong] = useState<string>();
  // What is shown follows the keys only with the next picture.
  const now = useRef({ term: '', active: 0 });
  const prefix = usePrefix({ status: chosen === undefined ? 'idle' : 'done', theme: makeTheme() });
  const { style } = makeTheme();

  useKeypress((key, rl) => {
    const { active, term } = now.current;
    const found = matching(choices, term);
    setWrong(undefined);
    if (isEnterKey(key)) {
      const one = found[active];
      const problem = one ? check(one.value) : 'none of the choices has this in it';
      if (one && problem === undefined) {
        setChosen(one.name);
        done(one.value);
      } else {
        // The return key has taken the line away.
        rl.write(term);
        setWrong(problem);
      }
      return;
    }
    if (isUpKey(key) || isDownKey(key)) {
      const next = active + (isUpKey(key) ? -1 : 1);
      now.current = { term, active: Math.max(0, Math.min(found.length - 1, MOVED_THROUGH - 1, next)) };
    } else if (rl.line !== term) now.current = { term: rl.line, active: 0 };
    setShown(now.current);
  });

  const found = matching(choices, shown.term);
  const page = usePagination({
    items: found.slice(0, MOVED_THROUGH),
    active: shown.active,
    renderItem: ({ isActive, item }) => (isActive ? style.highlight(`> ${item.name}`) : `  ${item.name}`),
    pageSize: SHOWN,
    loop: false,
  });
  const head = `${prefix} ${style.message(message, 'idle')}`;
  if (chosen !== undefined) return `${head} ${style.answer(chosen)}`;
  const below = [
    found.length === 0 ? style.help('  none of the choices has this in it') : page,
    ...(wrong === undefined ? [] : [style.error(wrong)]),
    style.help(`  ${found.length} of ${choices.length}; type to filter, arrow keys and return to choose`),
  ];
  return [`${head} ${shown.term}`, below.join('\n')];
});

/** Those in which what is typed stands: first the one that is it, then those that begin with it, then the others. */
export function matching<T extends { readonly name: string }>(
  choices: readonly T[],
  term: string,
): readonly T[] {
  const wanted = term.trim().toLowerCase();
  if (wanted === '') return choices;
  const rank = ({ name }: T): number => {
    const at = name.toLowerCase().indexOf(wanted);
    return at < 0 ? 3 : at > 0 ? 2 : name.length === wanted.length ? 0 : 1;
  };
  return choices.filter((one) => rank(one) < 3).toSorted((a, b) => rank(a) - rank(b));
}
