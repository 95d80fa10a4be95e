/** The same, one call after the other: a call begins when the one before it has ended, however that did. */
export function inTurn<A extends readonly unknown[], R>(
  work: (...of: A) => Promise<R>,
): (...of: A) => Promise<R> {
  let last: Promise<unknown> = Promise.resolve();
  return (...of) => {
    const mine = last.then(() => work(...of));
    last = mine.catch(() => undefined);
    return mine;
  };
}
