/**
 * Rows listed by the row (or key) that they belong to: those of k are rows[starts[k]] up to, not including,
 * rows[starts[k + 1]].
 */
export interface RowLists {
  readonly starts: Uint32Array;
  readonly rows: Uint32Array;
}

/** Lists rows by a number from 0 up to, not including, `size`. */
export function rowLists(numbers: Uint32Array | Int32Array, size: number): RowLists {
  const starts = new Uint32Array(size + 1);
  for (const n of numbers) starts[n + 1]!++;
  for (let k = 0; k < size; k++) starts[k + 1]! += starts[k]!;
  const next = starts.slice();
  const rows = new Uint32Array(numbers.length);
  numbers.forEach((n, row) => (rows[next[n]!++] = row));
  return { starts, rows };
}
