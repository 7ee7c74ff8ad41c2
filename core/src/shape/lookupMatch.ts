import type { Column, TableData } from '../columns/index.ts';
import { columnValues, rowLists } from '../columns/index.ts';
import { DataError } from '../query/index.ts';
import type { JoinMatch } from './joinMatch.ts';
import { matchJoin } from './joinMatch.ts';
import { stepColumn } from './step.ts';

/** The row of another table that is looked up for each row. */
export interface LookupMatch {
  readonly match: JoinMatch;
  /** By row: the other table's row, or -1. */
  readonly rows: Int32Array;
  /** By row: whether more than one row of the other table would do. */
  readonly several: Uint8Array;
}

/**
 * Which row of another table belongs to a row: by equal keys, and of several the newest or the one that is
 * valid on a day.
 */
interface RowChoice {
  readonly on: readonly [string, string][];
  readonly valid?:
    | { readonly at: string; readonly from: string; readonly to?: string | undefined }
    | undefined;
  readonly newest?: string | undefined;
}

/**
 * Looks a row up for each row: of those with an equal key that which is valid on a day (both ends count, an
 * open end is null), the newest, or the first. Of several that would do, the one that begins last, or stands
 * first. Takes n log m. Throws DataError.
 */
export function matchLookup(
  input: TableData,
  other: TableData,
  { on, valid, newest }: RowChoice,
): LookupMatch {
  const match = matchJoin(input, other, on, 'lookup');
  const lists = rowLists(match.theirs, match.size);
  const rows = new Int32Array(input.rowCount).fill(-1);
  const several = new Uint8Array(input.rowCount);
  const choose = valid
    ? chooseValid(input, other, valid, lists)
    : newest
      ? chooseNewest(other, newest, lists)
      : chooseFirst(lists);
  match.own.forEach((key, row) => {
    if (key === 0) return;
    const chosen = choose(key, row);
    if (!chosen) return;
    rows[row] = chosen.row;
    if (chosen.several) several[row] = 1;
  });
  return { match, rows, several };
}

/** Rows by key number: those of key k lie from `starts[k]` up to `starts[k + 1]`. */
type Lists = ReturnType<typeof rowLists>;
type Choose = (key: number, row: number) => { readonly row: number; readonly several: boolean } | undefined;

/** What depends on nothing but the key is worked out once for each. */
const byKey = (lists: Lists, of: (rows: Uint32Array) => ReturnType<Choose>): Choose => {
  const known = new Map<number, ReturnType<Choose>>();
  return (key) => {
    if (!known.has(key)) {
      const rows = lists.rows.subarray(lists.starts[key], lists.starts[key + 1]);
      known.set(key, rows.length === 0 ? undefined : of(rows));
    }
    return known.get(key);
  };
};

const chooseFirst = (lists: Lists): Choose =>
  byKey(lists, (rows) => ({ row: rows[0]!, several: rows.length > 1 }));

/** Codes of a column are in the order of its values, null first. */
const chooseNewest = (other: TableData, newest: string, lists: Lists): Choose => {
  const { codes } = stepColumn(other, newest, 'lookup');
  return byKey(lists, (rows) => {
    let [best, times] = [rows[0]!, 0];
    for (const row of rows) {
      if (codes[row]! > codes[best]!) [best, times] = [row, 1];
      else if (codes[row] === codes[best]) times++;
    }
    return { row: best, several: times > 1 };
  });
};

function chooseValid(
  input: TableData,
  other: TableData,
  valid: NonNullable<RowChoice['valid']>,
  lists: Lists,
): Choose {
  const at = moments(stepColumn(input, valid.at, 'lookup'));
  const from = moments(stepColumn(other, valid.from, 'lookup'));
  const to = valid.to === undefined ? undefined : moments(stepColumn(other, valid.to, 'lookup'));
  const kinds = [
    [valid.at, at],
    [valid.from, from],
    [valid.to, to],
  ] as const;
  const odd = kinds.find(([, m]) => m && m.kind !== at.kind);
  if (odd)
    throw new DataError(
      `the step lookup compares ${valid.at}, a ${at.kind}, with ${odd[0]!}, a ${odd[1]!.kind}: give them one type with derive first`,
    );
  const begins = (row: number) => from.of(row) ?? -Infinity;
  const ends = (row: number) => (to ? (to.of(row) ?? Infinity) : Infinity);
  /** Rows of a key by their beginnings, and how far the ends of them and those before reach. */
  const orders = new Map<number, { rows: number[]; starts: number[]; reach: number[] }>();
  const orderOf = (key: number) => {
    let known = orders.get(key);
    if (!known) {
      const rows = [...lists.rows.subarray(lists.starts[key], lists.starts[key + 1])].sort(
        (a, b) => begins(a) - begins(b) || b - a,
      );
      let furthest = -Infinity;
      known = {
        rows,
        starts: rows.map(begins),
        reach: rows.map((row) => (furthest = Math.max(furthest, ends(row)))),
      };
      orders.set(key, known);
    }
    return known;
  };
  return (key, row) => {
    const day = at.of(row);
    if (day === null) return undefined;
    const { rows, starts, reach } = orderOf(key);
    let [low, high] = [0, rows.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (starts[middle]! <= day) low = middle + 1;
      else high = middle;
    }
    // Backwards from the last that has begun, for as long as one that reaches the day can come.
    let i = low - 1;
    while (i >= 0 && reach[i]! >= day && ends(rows[i]!) < day) i--;
    if (i < 0 || reach[i]! < day) return undefined;
    const again = to ? i > 0 && reach[i - 1]! >= day : i > 0 && starts[i - 1] === starts[i];
    return { row: rows[i]!, several: again };
  };
}

/** Days, or moments, as numbers. */
function moments(column: Column): { readonly kind: string; of(row: number): number | null } {
  const { kind } = column.type;
  if (kind !== 'date' && kind !== 'timestamp' && kind !== 'integer')
    throw new DataError(
      `the step lookup needs a date, a timestamp or a number for ${column.name}, which is ${kind}`,
    );
  const values = columnValues(column);
  return {
    kind,
    of: (row) => {
      const value = values[column.codes[row]!]!;
      return value === null ? null : Number(value);
    },
  };
}
