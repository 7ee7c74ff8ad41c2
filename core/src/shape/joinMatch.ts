import type { TableData } from '../columns/index.ts';
import { rowLists } from '../columns/index.ts';
import type { JoinKind } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import { keyNumbers } from '../relate/index.ts';
import { stepColumn } from './step.ts';
import { counted } from '../values/index.ts';

/** Rows of two tables that have equal keys. Null keys meet nothing. */
export interface JoinMatch {
  /** Number of a row's key, from 1; 0 for null. Equal keys of both sides have one number. */
  readonly own: Uint32Array;
  readonly theirs: Uint32Array;
  readonly size: number;
  /** Rows of either side by key number. */
  readonly ownRows: Uint32Array;
  readonly theirRows: Uint32Array;
  /** Pairs of rows that meet. */
  readonly pairs: number;
  /** Rows of either side that meet none. */
  readonly ownLone: number;
  readonly theirLone: number;
}

/** Meets the rows of two tables by pairs of columns. Throws DataError for a column that is not there. */
export function matchJoin(
  input: TableData,
  other: TableData,
  on: readonly (readonly [string, string])[],
  verb = 'join',
): JoinMatch {
  if (on.some(([own, theirs]) => own === '' || theirs === ''))
    throw new DataError('choose the columns that must be equal');
  const { from, to, size } = keyNumbers(
    on.map(([own]) => stepColumn(input, own, verb)),
    on.map(([, theirs]) => stepColumn(other, theirs, verb)),
  );
  const tally = (keys: Uint32Array) => {
    const rows = new Uint32Array(size);
    for (const key of keys) rows[key]!++;
    return rows;
  };
  const [ownRows, theirRows] = [tally(from), tally(to)];
  let [pairs, ownLone, theirLone] = [0, ownRows[0]!, theirRows[0]!];
  for (let key = 1; key < size; key++) {
    const [a, b] = [ownRows[key]!, theirRows[key]!];
    pairs += a * b;
    if (b === 0) ownLone += a;
    if (a === 0) theirLone += b;
  }
  return { own: from, theirs: to, size, ownRows, theirRows, pairs, ownLone, theirLone };
}

/** Rows that a join of each kind makes. */
export const keptRows = ({ pairs, ownLone, theirLone }: JoinMatch): Readonly<Record<JoinKind, number>> => ({
  inner: pairs,
  left: pairs + ownLone,
  full: pairs + ownLone + theirLone,
});

/** More rows than this are not made: the join is a mistake, or too large for a step. */
const MOST_JOINED = 1 << 28;

/**
 * The rows of either side that stand in each row of the join, -1 for none: those of the input in their order,
 * then the other's lone ones.
 */
export function joinedRows(match: JoinMatch, kind: JoinKind): { left: Int32Array; right: Int32Array } {
  const rows = keptRows(match)[kind];
  if (rows > MOST_JOINED)
    throw new DataError(
      `the step join would make ${counted(rows, 'row')}: a key occurs many times on both sides; aggregate one of them first`,
      { code: 'limit' },
    );
  const lists = rowLists(match.theirs, match.size);
  const [left, right] = [new Int32Array(rows), new Int32Array(rows)];
  let at = 0;
  const put = (own: number, theirs: number) => {
    left[at] = own;
    right[at++] = theirs;
  };
  match.own.forEach((key, row) => {
    const [from, to] = key === 0 ? [0, 0] : [lists.starts[key]!, lists.starts[key + 1]!];
    for (let i = from; i < to; i++) put(row, lists.rows[i]!);
    if (from === to && kind !== 'inner') put(row, -1);
  });
  if (kind === 'full')
    match.theirs.forEach((key, row) => {
      if (key === 0 || match.ownRows[key] === 0) put(-1, row);
    });
  return { left, right };
}
