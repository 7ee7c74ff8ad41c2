import type { Answer, AnswerMember } from '@crease/core/query';

/** A row of an answer that is laid out across. */
export interface LaidOutRow {
  /** Members of `by`. */
  readonly members: readonly AnswerMember[];
  /** For each column, the row of the answer that holds it; undefined where there is none. */
  readonly places: readonly (number | undefined)[];
}

export interface LaidOut {
  readonly rows: readonly LaidOutRow[];
  /** Members of `across`, in ascending order of their values; what is no value comes last. */
  readonly columns: readonly { readonly members: readonly AnswerMember[] }[];
}

/** Rows in long form, one for each tuple of `by` and `across`, as rows and columns. */
export function laidOut(answer: Pick<Answer, 'rows'>, byCount: number, acrossCount: number): LaidOut {
  const columnOf = new Map<string, readonly AnswerMember[]>();
  for (const row of answer.rows) {
    const members = row.slice(byCount, byCount + acrossCount);
    columnOf.set(JSON.stringify(members), members);
  }
  const columns = [...columnOf].sort(([, a], [, b]) => compareMembers(a, b));
  const placeOf = new Map(columns.map(([key], i) => [key, i]));
  const rows = new Map<string, { members: readonly AnswerMember[]; places: (number | undefined)[] }>();
  answer.rows.forEach((row, at) => {
    const members = row.slice(0, byCount);
    const key = JSON.stringify(members);
    let made = rows.get(key);
    if (!made) rows.set(key, (made = { members, places: columns.map(() => undefined) }));
    made.places[placeOf.get(JSON.stringify(row.slice(byCount, byCount + acrossCount)))!] = at;
  });
  return { rows: [...rows.values()], columns: columns.map(([, members]) => ({ members })) };
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
  row: readonly AnswerMember[] | undefined,
  column: readonly AnswerMember[] | undefined,
  measure: number,
) => AnswerMember {
  const known = (by: number, across: number) =>
    new Map(
      (subtotals.find((s) => s.by === by && s.across === across)?.rows ?? []).map((row) => [
        JSON.stringify(row.slice(0, by + across)),
        row.slice(by + across),
      ]),
    );
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
