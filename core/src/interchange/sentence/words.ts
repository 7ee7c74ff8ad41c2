/**
 * The clauses of a question in words, in their order:
 *
 *     show measures by items across items where conditions having conditions
 *     top n by measure per items and all others sorted by measure descending
 *     limit n as of day with subtotals, totals, empty members, unmatched apart
 */
export type Clause =
  | 'show'
  | 'by'
  | 'across'
  | 'where'
  | 'having'
  | 'top'
  | 'sorted'
  | 'limit'
  | 'as of'
  | 'with';

/** What `with` may add, and the member of the question that it sets. */
export const ADDED = {
  totals: { totals: true },
  subtotals: { subtotals: true },
  'empty members': { empty: 'show' },
  'unmatched apart': { unmatched: 'apart' },
} as const;

/** Aggregates of a column that is asked for without a measure. */
export const COLUMN_AGGREGATES = ['sum', 'min', 'max', 'avg', 'count', 'distinct'] as const;

/** Words that end what stands before them, so that a name with one of them stands in quotes. */
export const CLAUSE_WORDS: ReadonlySet<string> = new Set(
  'show by across where having top sorted limit as with per and or level depth of descending ascending'.split(
    ' ',
  ),
);
