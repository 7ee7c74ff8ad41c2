import type { ColumnName } from '../../formula/index.ts';
import type { ModelData } from '../../query/index.ts';
import type { Evidence } from '../evidence.ts';

// What a claim about data counts, as data: a count over rows, or over groups of them. The columns way runs a
// count on codes; another way may compile it to SQL. A kind of count is one file here and a line in
// `index.ts`.

interface OnRows {
  /** The table whose rows are counted. Other columns are looked up from it. */
  readonly table: string;
}

/** Rows in which one of the columns is null. */
export interface NullsCount extends OnRows {
  readonly count: 'nulls';
  readonly columns: readonly ColumnName[];
  /** What a sample shows. */
  readonly shown: readonly ColumnName[];
}

/**
 * Rows whose combination of values stands on other rows, too; a combination with a null stands for nothing.
 */
export interface RepeatedCount extends OnRows {
  readonly count: 'repeated';
  readonly columns: readonly string[];
}

/** Rows whose reference is filled and has no partner. */
export interface OrphansCount extends OnRows {
  readonly count: 'orphans';
  readonly columns: readonly string[];
  readonly of: { readonly table: string; readonly columns: readonly string[] };
}

/**
 * Rows whose value lies before the least or after the greatest of another column; with no values there, all
 * that are filled.
 */
export interface OutsideCount extends OnRows {
  readonly count: 'outside';
  readonly column: string;
  readonly of: ColumnName;
}

/**
 * Rows of groups whose parts differ in more than one value: rows in which the group or a part is null are
 * left apart.
 */
export interface DifferingCount extends OnRows {
  readonly count: 'differing';
  readonly group: readonly ColumnName[];
  readonly parts: readonly ColumnName[];
  /** Whether a part with a null is a value like any other. */
  readonly nullParts?: 'values';
  /**
   * Rows that look up one of several partners on the way to a column are left apart; `tally`: whether there
   * are such ways, `doubtful` (1).
   */
  readonly certainly?: true;
  /** What a sample shows of a group, and of its parts, under names of its own. */
  readonly shown: { readonly name: string; readonly column: ColumnName };
  readonly shownParts?: { readonly name: string; readonly column: ColumnName };
}

/** Rows of groups whose values do not add up to one. */
export interface SharesCount extends OnRows {
  readonly count: 'shares';
  readonly column: string;
  readonly per: readonly string[];
}

/** Rows, whatever they hold: none is against. */
export interface RowsCount extends OnRows {
  readonly count: 'rows';
}

/**
 * Rows whose value is not of the declared type; with `length`, and where all are, rows whose text has more
 * characters.
 */
export interface MisfitsCount extends OnRows {
  readonly count: 'misfits';
  readonly column: string;
  readonly length?: number;
}

/**
 * Days that are missing between the first and the last, and rows whose day stands on other rows, too.
 * `tally`: `missing` days, and `first` and `last` in days since 1970-01-01.
 */
export interface DaysCount extends OnRows {
  readonly count: 'days';
  readonly column: string;
}

/**
 * What tells codes from amounts. `checked` are all rows, none is against; `tally`: rows that are `filled`,
 * `distinct` values, the digits (with a sign) of the `shortest` and of the `longest`, and values that were
 * `padded` with zeros where that is known.
 */
export interface DigitsCount extends OnRows {
  readonly count: 'digits';
  readonly column: string;
}

/**
 * Versions of one member whose validity overlaps with that of another, else versions at a gap; no day is
 * without end. `tally`: rows that are `overlapping`, rows that are `gapped`, and whether an overlap is
 * `certain`: of rows with different keys (1).
 */
export interface VersionsCount extends OnRows {
  readonly count: 'versions';
  readonly of: readonly string[];
  readonly from: string;
  readonly to: string;
  readonly key: readonly string[];
}

/**
 * Rows from which following parents never comes to a top. A key that stands on several rows leads nowhere for
 * certain: the way ends there.
 */
export interface LoopsCount extends OnRows {
  readonly count: 'loops';
  readonly key: string;
  readonly parent: string;
}

export type Count =
  | NullsCount
  | RepeatedCount
  | OrphansCount
  | OutsideCount
  | DifferingCount
  | SharesCount
  | RowsCount
  | MisfitsCount
  | DaysCount
  | DigitsCount
  | VersionsCount
  | LoopsCount;
export type CountKind = Count['count'];

/** What was counted, with numbers that one kind of count knows beside those of all. */
export interface Counted extends Evidence {
  readonly tally?: Readonly<Record<string, number>>;
}

/** How a kind of count is run on encoded columns. */
export type RunCount<C extends Count> = (count: C, data: ModelData) => Counted;
