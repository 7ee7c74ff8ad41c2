import type { Value } from '../values/index.ts';
import { compareCounting, compareValues } from '../values/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { NoMember, Others } from '../model/index.ts';
import type { AskedMeasure } from './asked.ts';
import type { Axis, Context } from './context.ts';
import type { Cells } from './cells.ts';
import type { Evaluator } from './evaluate.ts';
import type { ModelData } from './modelData.ts';
import type { FoundCell } from './modelRows.ts';
import type { PlainAsked } from './onTheSpot.ts';
import { unreachedBy } from './unreached.ts';

export type Json = null | boolean | number | string;

/**
 * A member of an attribute: a value, null, or why there is none where the query tells that apart; or all that
 * a top leaves over.
 */
export type AnswerMember = Json | NoMember | Others;

/** A row of an answer. */
export interface WorkedRow extends FoundCell {
  /** Has the axes that its codes belong to; a row of others has one of its own for what it stands for. */
  readonly within: Context;
  /** Whether its last member of `by` is all that a top leaves over. */
  readonly isOthers: boolean;
}

/** A query that has been worked out: rows in their order, and what they were made of. */
export interface Worked {
  readonly data: ModelData;
  readonly asked: PlainAsked;
  /** Axes of `by`, then of `across`. */
  readonly members: readonly Axis[];
  readonly apart: boolean;
  readonly context: Context;
  readonly measures: readonly AskedMeasure[];
  readonly unreached: readonly (readonly ColumnName[])[];
  readonly evaluator: Evaluator;
  readonly rows: readonly WorkedRow[];
}

/** How texts are put in order: by code point, or as people count, so that "Shop 2" comes before "Shop 10". */
export type TextOrder = 'code points' | 'counting';

/**
 * Values of measures by cell; those of one that does not apply are null. One pass over the rows of a table
 * answers all that is asked of it.
 */
export function valuesOf(
  evaluator: Evaluator,
  context: Context,
  cells: Cells,
  measures: readonly AskedMeasure[],
): Value[][] {
  const applies = measures.map((m) => unreachedBy(evaluator.data, m.node, context).length === 0);
  measures.forEach((m, i) => {
    if (applies[i]) evaluator.expect(m.node, context);
  });
  return measures.map((m, i) =>
    applies[i] ? evaluator.measure(m.name, context, cells) : new Array<Value>(cells.tuples.size).fill(null),
  );
}

export type Order = (a: WorkedRow, b: WorkedRow) => number;

/** By values; nulls come last in either direction. */
export const byValues =
  (value: (row: WorkedRow) => Value, isDescending: boolean, texts: TextOrder): Order =>
  (a, b) => {
    const compare = texts === 'counting' ? compareCounting : compareValues;
    const [x, y] = [value(a), value(b)];
    if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
    return isDescending ? compare(y, x) : compare(x, y);
  };

/** The first of several orders that tells two rows apart. */
export const byAll =
  (orders: readonly Order[]): Order =>
  (a, b) => {
    for (const order of orders) {
      const result = order(a, b);
      if (result !== 0) return result;
    }
    return 0;
  };

/** By the codes of an axis. */
export const byCode =
  (place: number): Order =>
  (a, b) =>
    a.codes[place]! - b.codes[place]!;

/**
 * By the members of some axes ascending. Nulls come last: of them first those that were found, then those
 * without a reference, then those without a partner. What a top leaves over comes behind all of them.
 */
export function byMembers(
  { members, apart, asked }: Pick<Worked, 'members' | 'apart' | 'asked'>,
  places: readonly number[],
  texts: TextOrder,
): Order[] {
  return places.flatMap((p): Order[] => {
    const axis = members[p]!;
    const ordering = axis.order ?? axis.show;
    return [
      ...(p === asked.byCount - 1 && asked.top?.others
        ? [(a: WorkedRow, b: WorkedRow) => Number(a.isOthers) - Number(b.isOthers)]
        : []),
      byValues(
        (row) => (row.isOthers && p === asked.byCount - 1 ? null : ordering(row.codes[p]!)),
        false,
        texts,
      ),
      ...(axis.order
        ? [
            byValues(
              (row) => (row.isOthers && p === asked.byCount - 1 ? null : axis.show(row.codes[p]!)),
              false,
              texts,
            ),
          ]
        : []),
      ...(apart ? [byCode(members.length + p)] : []),
    ];
  });
}
