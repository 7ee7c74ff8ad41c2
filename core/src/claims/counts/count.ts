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

export type Count = NullsCount | RepeatedCount | OrphansCount | OutsideCount | DifferingCount | SharesCount;
export type CountKind = Count['count'];

/** How a kind of count is run on encoded columns. */
export type RunCount<C extends Count> = (count: C, data: ModelData) => Evidence;
