import type { Value } from '../../values/index.ts';

/** How many rows of a group have a code; codes of a group ascend, and codes ascend like values. */
export interface CodeCount {
  readonly code: number;
  readonly rows: number;
}

/**
 * Medians of groups whose rows are counted by code: the codes in the middle are found, and only they are
 * decoded. `numberOf` gives the value of a code.
 */
export const mediansByCount = (
  groups: readonly (readonly CodeCount[])[],
  numberOf: (code: number) => number,
): Value[] =>
  groups.map((counts) => {
    const rows = counts.reduce((sum, one) => sum + one.rows, 0);
    if (rows === 0) return null;
    const upper = numberOf(codeAt(counts, rows >> 1));
    return rows % 2 === 1 ? upper : (numberOf(codeAt(counts, (rows >> 1) - 1)) + upper) / 2;
  });

/** The code of the row at a place from 0, were the rows in the order of their codes. */
function codeAt(counts: readonly CodeCount[], place: number): number {
  let before = 0;
  for (const { code, rows } of counts) if ((before += rows) > place) return code;
  throw new RangeError(`there is no row ${place}`);
}
