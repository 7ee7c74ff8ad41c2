/** Runs acts one after the other, in the order in which they are asked for; one that fails stops no other. */
export function inTurns(): <T>(act: () => Promise<T>) => Promise<T> {
  let last: Promise<unknown> = Promise.resolve();
  return (act) => {
    const done = last.then(act);
    last = done.catch(() => undefined);
    return done;
  };
}

/** The newest of something that is drawn later than it is known. */
export interface Newest<T> {
  readonly get: () => T | undefined;
  readonly set: (value: T | undefined) => void;
}

export function newest<T>(): Newest<T> {
  let known: T | undefined;
  return { get: () => known, set: (value) => void (known = value) };
}

/** The last of a chain of revisions of one's own; `followed` has each by the one before. */
export function newestFrom(followed: ReadonlyMap<number, number>, revision: number): number {
  let at = revision;
  for (let next = followed.get(at); next !== undefined && next > at; next = followed.get(at)) at = next;
  return at;
}
