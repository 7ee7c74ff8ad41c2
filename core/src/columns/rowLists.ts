import type { Codes } from './codes.ts';

/**
 * Rows listed by the row (or key) that they belong to: those of k are rows[starts[k]] up to, not including,
 * rows[starts[k + 1]].
 */
export interface RowLists {
  readonly starts: Uint32Array;
  readonly rows: Uint32Array;
}

/** Lists rows by a number from 0 up to, not including, `size`. */
export function rowLists(numbers: Codes | Int32Array, size: number): RowLists {
  const starts = new Uint32Array(size + 1);
  for (let row = 0; row < numbers.length; row++) starts[numbers[row]! + 1]!++;
  for (let k = 0; k < size; k++) starts[k + 1]! += starts[k]!;
  const next = starts.slice();
  const rows = new Uint32Array(numbers.length);
  for (let row = 0; row < numbers.length; row++) rows[next[numbers[row]!]!++] = row;
  return { starts, rows };
}
