import type { ReadProblem } from './table.ts';

/** What kept a record from becoming a row: it could not be read, or the load's own rule left it out. */
export type ProblemKind = 'unread' | 'misfit' | 'refused';

/** Of problems that were stored before kinds were kept, those with a column are values that did not fit. */
export const problemKind = ({ kind, column }: ReadProblem): ProblemKind =>
  kind ?? (column === undefined ? 'unread' : 'misfit');

/** How many records problems stand for. */
export const recordsOf = (problems: readonly ReadProblem[]): number =>
  problems.reduce((sum, { records = 1 }) => sum + records, 0);
