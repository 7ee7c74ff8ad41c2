import { codesArray } from '../columns/index.ts';
import { cellsOf } from './cells.ts';
import { askedMeasure } from './asked.ts';
import { QueryError } from './axes.ts';
import type { Axis, Context } from './context.ts';
import type { Top } from './onTheSpot.ts';
import type { Worked, WorkedRow } from './workedRows.ts';
import { byAll, byMembers, byValues, valuesOf } from './workedRows.ts';

/**
 * The rows whose member of the last item of `by` is among the first by a measure, within the members of the
 * items that `per` names; where the rest is asked for, it is one row for each of them, evaluated over all of
 * its members at once. Ties go by member; what has no value comes last.
 */
export function topRows(
  worked: Omit<Worked, 'rows'>,
  top: Top,
  rows: readonly WorkedRow[],
): readonly WorkedRow[] {
  const { asked, members, apart, context } = worked;
  const last = asked.byCount - 1;
  if (top.others && apart)
    throw new QueryError(
      '"others" and "unmatched": "apart" do not go together: the rest is one member, whatever it is made of',
    );
  const places = [...top.per, last];
  const positions = apart ? [...places, ...places.map((p) => members.length + p)] : places;
  const ranked = rankedRows(worked, top, rows, positions, places);
  const keyOf = (row: WorkedRow, at: readonly number[]) => at.map((p) => row.codes[p]).join();
  const groups = new Map<string, WorkedRow[]>();
  for (const row of ranked) {
    const group = keyOf(row, top.per);
    groups.set(group, [...(groups.get(group) ?? []), row]);
  }
  const first = new Set<string>();
  for (const group of groups.values())
    for (const row of group.slice(0, top.count)) first.add(keyOf(row, positions));
  const kept = rows.filter((row) => first.has(keyOf(row, positions)));
  if (!top.others) return kept;
  const others = [...groups].flatMap(([group, list]): WorkedRow[] => {
    const rest = new Set(list.slice(top.count).map((row) => row.codes[last]!));
    if (rest.size === 0) return [];
    const of = rows.filter((row) => keyOf(row, top.per) === group && rest.has(row.codes[last]!));
    return othersOf(worked, last, rest, of, context);
  });
  return [...kept, ...others];
}

/** A row for each combination of the ranked members, in the order of their rank. */
function rankedRows(
  worked: Omit<Worked, 'rows'>,
  top: Top,
  rows: readonly WorkedRow[],
  positions: readonly number[],
  places: readonly number[],
): WorkedRow[] {
  const { context, evaluator, data } = worked;
  const measure = askedMeasure(data, top.of);
  const ranking: Context = { ...context, axes: positions.map((p) => context.axes[p]!) };
  const cells = cellsOf(ranking.axes);
  const example: WorkedRow[] = [];
  for (const row of rows) {
    const cell = cells.tuples.add((i) => row.codes[positions[i]!]!);
    if (cell === example.length) example.push(row);
  }
  const [values] = valuesOf(evaluator, ranking, cells, [measure]);
  const ranked = example.map((row, cell) => ({ ...row, values: [values![cell]!] }));
  return ranked.sort(
    byAll([
      byValues((row) => row.values[0]!, top.descending, 'code points'),
      ...byMembers(worked, places, 'code points'),
      (a, b) => a.codes[places.at(-1)!]! - b.codes[places.at(-1)!]!,
    ]),
  );
}

/** The rest as one member: rows of it for each combination of the other members, each in its own context. */
function othersOf(
  { measures, evaluator }: Omit<Worked, 'rows'>,
  last: number,
  rest: ReadonlySet<number>,
  of: readonly WorkedRow[],
  context: Context,
): WorkedRow[] {
  const own: Context = {
    ...context,
    axes: context.axes.map((axis, p) => (p === last ? restAxis(axis, rest) : axis)),
  };
  const cells = cellsOf(own.axes);
  for (const row of of) cells.tuples.add((p) => (p === last ? restCode(rest) : row.codes[p]!));
  const values = valuesOf(evaluator, own, cells, measures);
  return Array.from({ length: cells.tuples.size }, (_, cell) => ({
    within: own,
    codes: cells.tuples.codes.map((codes) => codes[cell]!),
    values: measures.map((_, i) => values[i]![cell]!),
    isOthers: true,
  }));
}

/**
 * The code of the rest on its axis, where all other members have the other one. Rows that find no row of the
 * table have 0, as the null member has: they go with it.
 */
const restCode = (rest: ReadonlySet<number>): 0 | 1 => (rest.has(0) ? 0 : 1);

function restAxis(axis: Axis, rest: ReadonlySet<number>): Axis {
  const own = restCode(rest);
  const codes = codesArray(1, axis.codes.length);
  for (let row = 0; row < codes.length; row++) codes[row] = rest.has(axis.codes[row]!) ? own : 1 - own;
  const { hidden: _hidden, order: _order, keys: _keys, ...plain } = axis;
  return { ...plain, codes, width: 2, show: () => null };
}
