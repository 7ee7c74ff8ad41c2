import type { MemberOfCell } from '@crease/core/model';
import type { Answer, AnswerMember, MemberKeys } from '@crease/core/query';

/** A row of an answer that is laid out across. */
export interface LaidOutRow {
  /** Members of `by`. */
  readonly members: readonly AnswerMember[];
  /** As they are told apart: labels may stand twice. */
  readonly named: readonly MemberOfCell[];
  /** For each column, the row of the answer that holds it; undefined where there is none. */
  readonly places: readonly (number | undefined)[];
}

export interface LaidOut {
  readonly rows: readonly LaidOutRow[];
  /** Members of `across`, in ascending order of their values; what is no value comes last. */
  readonly columns: readonly Pick<LaidOutRow, 'members' | 'named'>[];
}

/** Members as a cell names them: by their keys where they have any. */
export const namedMembers = (
  members: readonly AnswerMember[],
  keys: MemberKeys | undefined,
): MemberOfCell[] => members.map((member, i) => (keys?.[i] ? { key: [...keys[i]] } : member));

/** Rows in long form, one for each tuple of `by` and `across`, as rows and columns. */
export function laidOut(
  { rows: long, keys }: Pick<Answer, 'rows' | 'keys'>,
  byCount: number,
  acrossCount: number,
): LaidOut {
  const part = (at: number, from: number, to: number) => {
    const members = long[at]!.slice(from, to);
    const named = namedMembers(members, keys?.[at]?.slice(from, to));
    return { members, named, text: JSON.stringify(named) };
  };
  const acrossOf = (at: number) => part(at, byCount, byCount + acrossCount);
  const columnOf = new Map(long.map((_, at) => [acrossOf(at).text, acrossOf(at)]));
  const columns = [...columnOf.values()].sort((a, b) => compareMembers(a.members, b.members));
  const placeOf = new Map(columns.map(({ text }, i) => [text, i]));
  const rows = new Map<string, { row: LaidOutRow; places: (number | undefined)[] }>();
  long.forEach((_, at) => {
    const { members, named, text } = part(at, 0, byCount);
    let made = rows.get(text);
    if (!made) {
      const places = columns.map((): number | undefined => undefined);
      rows.set(text, (made = { row: { members, named, places }, places }));
    }
    made.places[placeOf.get(acrossOf(at).text)!] = at;
  });
  return {
    rows: [...rows.values()].map(({ row }) => row),
    columns: columns.map(({ members, named }) => ({ members, named })),
  };
}

/**
 * The subtotal of a row (all members of `across`) or of a column (all of `by`), each evaluated in its own
 * context; null where the answer has none. Without `by` a row's is the total.
 */
export function totalsBy(
  { subtotals = [], totals = [] }: Pick<Answer, 'subtotals' | 'totals'>,
  byCount: number,
  acrossCount: number,
): (
  row: readonly MemberOfCell[] | undefined,
  column: readonly MemberOfCell[] | undefined,
  measure: number,
) => AnswerMember {
  const known = (by: number, across: number) => {
    const found = subtotals.find((s) => s.by === by && s.across === across);
    const size = by + across;
    return new Map(
      (found?.rows ?? []).map((row, i) => [
        JSON.stringify(namedMembers(row.slice(0, size), found?.keys?.[i])),
        row.slice(size),
      ]),
    );
  };
  const [rows, columns] = [known(byCount, 0), known(0, acrossCount)];
  return (row, column, measure) => {
    if (row && byCount === 0) return totals[measure] ?? null;
    const found = row ? rows.get(JSON.stringify(row)) : columns.get(JSON.stringify(column));
    return found?.[measure] ?? null;
  };
}

/** Exact numbers come as texts: those of numbers are compared as numbers. */
function compareMembers(a: readonly AnswerMember[], b: readonly AnswerMember[]): number {
  for (const [i, x] of a.entries()) {
    const y = b[i]!;
    if (isNone(x) || isNone(y)) {
      if (isNone(x) !== isNone(y)) return isNone(x) ? 1 : -1;
      continue;
    }
    const [p, q] = [Number(x), Number(y)];
    const order = Number.isNaN(p) || Number.isNaN(q) ? (x < y ? -1 : x > y ? 1 : 0) : p - q;
    if (order !== 0) return order;
  }
  return 0;
}

const isNone = (member: AnswerMember): member is Exclude<AnswerMember, string | number | boolean> =>
  member === null || typeof member === 'object';
