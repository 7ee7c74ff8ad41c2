/** What kept a record from becoming a row: it could not be read, or the load's own rule left it out. */
export type ProblemKind = 'unread' | 'misfit' | 'refused';

/**
 * What was wrong with one place of a source: which line (from 1, the header included), which column, the
 * text, and why.
 */
export interface ReadProblem {
  readonly line: number;
  readonly column?: string;
  readonly text?: string;
  readonly message: string;
  /** Why the record became no row; see `problemKind` for those without. */
  readonly kind?: ProblemKind;
  /** How many records it stands for, where that is not one. */
  readonly records?: number;
}

/** Of problems that were stored before kinds were kept, those with a column are values that did not fit. */
export const problemKind = ({ kind, column }: ReadProblem): ProblemKind =>
  kind ?? (column === undefined ? 'unread' : 'misfit');

/** How many records problems stand for. */
export const recordsOf = (problems: readonly ReadProblem[]): number =>
  problems.reduce((sum, { records = 1 }) => sum + records, 0);
