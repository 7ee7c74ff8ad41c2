// Work on many rows can be asked to end early. Whoever runs it (a thread of a server) says how it learns of
// that; loops over rows ask at each block. There is one such work at a time in a thread.

/** Thrown where work ends early, since nobody waits for its answer any more. */
export class Interrupted extends Error {
  constructor() {
    super('the work was ended before its answer was there');
  }
}

/**
 * Thrown where work needs a column whose rows are not here and can be brought: whoever runs the work brings
 * them and begins it anew. Without a column the number of rows is what is needed.
 */
export class ColumnWanted extends Interrupted {
  constructor(
    readonly table: string,
    readonly column?: string,
  ) {
    super();
  }
}

let isAsked: () => boolean = () => false;

/** Says how work on rows learns that it is to end; until the next call. */
export const endsWhen = (asked: () => boolean): void => {
  isAsked = asked;
};

/** Whether the work is asked to end. */
export const isInterrupted = (): boolean => isAsked();

/** So many rows are worked on between two looks. */
export const ROWS_BETWEEN_LOOKS = 65_536;

/** Ends the work where that is asked. Throws Interrupted. */
export function lookForInterruption(): void {
  if (isInterrupted()) throw new Interrupted();
}
