import type { Value } from '../values/index.ts';
import type { Column } from './column.ts';
import type { ReadProblem } from './problems.ts';
import { renamed } from './column.ts';

/** The rows of a table as encoded columns, with what could not be taken in. */
export interface TableData {
  readonly name: string;
  readonly rowCount: number;
  /** By the column's name in lower case. */
  readonly columns: ReadonlyMap<string, Column>;
  /**
   * Names of columns where they come from, in lower case, by their names here: of those that were loaded
   * under another name.
   */
  readonly sourceNames?: ReadonlyMap<string, string>;
  /** Line of each row in its source file, or undefined where the table has no file. */
  readonly lineOf?: (row: number) => number;
  readonly problems: readonly ReadProblem[];
  /** Rows of values that are not of their column's type: count by column name in lower case. */
  readonly misfits: ReadonlyMap<string, Misfits>;
  /** What people have written over values that were read, by column name in lower case. */
  readonly corrected?: ReadonlyMap<string, CorrectionsMade>;
}

/** What became of the corrections of a column. */
export interface CorrectionsMade {
  /** How many there are. */
  readonly entered: number;
  /** Rows with another value than the one that was read, from 0. */
  readonly byRow: ReadonlyMap<number, CorrectedValue>;
  /** Those that change nothing, whatever the day. */
  readonly unfit: readonly UnfitCorrection[];
}

/** What stood in a row before somebody corrected it, and who says what of it. */
export interface CorrectedValue {
  readonly was: Value;
  readonly author: string | null;
  /** When it was entered, as it was written. */
  readonly at: string | null;
  readonly comment: string | null;
}

export interface UnfitCorrection {
  /** Of its row, as far as it can be read. */
  readonly key: readonly Value[];
  /** Where it stands in its file. */
  readonly line: number;
  readonly why: string;
}

export interface Misfits {
  readonly rows: number;
  readonly distinct: number;
  /** Up to 20 of the texts, with how many rows each stands for and up to 20 of their lines. */
  readonly sample: readonly { text: string; rows: number; lines: readonly number[] }[];
  /** Each row's text and line, while a table is being loaded and where there are not too many. */
  readonly all?: readonly { text: string; line: number }[];
}

export function tableOf(name: string, columns: readonly Column[], rest: Partial<TableData> = {}): TableData {
  const rowCount = rest.rowCount ?? columns[0]?.rowCount ?? 0;
  for (const column of columns) {
    if (column.rowCount !== rowCount)
      throw new RangeError(
        `column ${column.name} of ${name} has ${column.rowCount} rows, the table ${rowCount}`,
      );
  }
  return {
    problems: [],
    misfits: new Map(),
    ...rest,
    name,
    rowCount,
    columns: new Map(columns.map((c) => [c.name.toLowerCase(), c])),
  };
}

/**
 * The rows with columns under the names that they have now: each is found by its name, or by the one that it
 * came by.
 */
export function calledNow(
  table: TableData,
  now: readonly { readonly name: string; readonly sourceName?: string | undefined }[],
): TableData {
  if (!table.sourceNames) return table;
  const bySource = new Map([...table.sourceNames].map(([name, source]) => [source, name]));
  const [columns, misfits] = [new Map(table.columns), new Map(table.misfits)];
  for (const { name, sourceName } of now) {
    const key = name.toLowerCase();
    const held = bySource.get((sourceName ?? name).toLowerCase());
    if (columns.has(key) || held === undefined) continue;
    columns.set(key, renamed(table.columns.get(held)!, name));
    columns.delete(held);
    const bad = misfits.get(held);
    if (bad) misfits.set(key, bad);
    misfits.delete(held);
  }
  return { ...table, columns, misfits };
}

/**
 * The column of that name without regard to case; throws where there is none (names are checked before data
 * are read).
 */
export function columnOf(table: TableData, name: string): Column {
  const column = table.columns.get(name.toLowerCase());
  if (!column) throw new RangeError(`table ${table.name} holds no column ${name}`);
  return column;
}
