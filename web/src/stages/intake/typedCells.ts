// Cells of a table that is typed by hand, row by row; the first row has the names of the columns.

export type Cells = readonly (readonly string[])[];

/** A grid to begin with. */
export const BLANK: Cells = [['', ''], ...Array.from({ length: 5 }, () => ['', ''])];

export const withCell = (cells: Cells, row: number, column: number, text: string): Cells =>
  cells.map((r, i) => (i === row ? r.map((c, j) => (j === column ? text : c)) : r));

export const withRow = (cells: Cells): Cells => [...cells, cells[0]!.map(() => '')];

export const withColumn = (cells: Cells): Cells => cells.map((r) => [...r, '']);

/** Without a row; one row below the names stays. */
export const withoutRow = (cells: Cells, row: number): Cells =>
  cells.length > 2 ? cells.filter((_, i) => i !== row) : cells;

export const withoutColumn = (cells: Cells, column: number): Cells =>
  cells.map((r) => r.filter((_, j) => j !== column));

/** What was said of columns by their place, once one of them is gone. */
export const typesWithout = <T>(said: ReadonlyMap<number, T>, column: number): ReadonlyMap<number, T> =>
  new Map(
    [...said].flatMap(([place, one]) =>
      place === column ? [] : [[place > column ? place - 1 : place, one] as const],
    ),
  );

/** With a block of cells from one cell on; the grid grows as it needs. */
export function withPasted(cells: Cells, pasted: Cells, row: number, column: number): Cells {
  const columns = Math.max(cells[0]!.length, ...pasted.map((r) => column + r.length));
  const rows = Math.max(cells.length, row + pasted.length);
  return Array.from({ length: rows }, (_, i) =>
    Array.from({ length: columns }, (_c, j) => pasted[i - row]?.[j - column] ?? cells[i]?.[j] ?? ''),
  );
}
