/** The person at the terminal, if there is one. */
export interface Person {
  /** Tells something that the person has to act on. */
  tell(text: string): void;
  /** Opens an address in a browser, where there is a desktop. */
  open(url: string): void;
}

/** Nobody is there: what had to be told would be told to nobody. */
export const nobody: Person = { tell: () => undefined, open: () => undefined };
