import type { Value } from '../values/index.ts';
import { compareValues, formatType, toJson } from '../values/index.ts';
import type { Query, QueryFilter } from '../model/index.ts';
import type { AskedMeasure } from './asked.ts';
import { askedFilter, askedMeasure, emptyBases, sortedBy } from './asked.ts';
import { axisOf } from './axes.ts';
import type { Axis, Condition, Context } from './context.ts';
import type { Cells } from './evaluate.ts';
import { cellsOf, Evaluator, singleCell } from './evaluate.ts';
import type { ModelData } from './modelData.ts';
import { scan } from './scan.ts';
import { unreachedBy } from './unreached.ts';

export type Json = null | boolean | number | string;

/** The answer to a query: rows hold the members of `by`, then the measures; see "A query" of the model file's page. */
export interface Answer {
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  readonly rows: readonly (readonly Json[])[];
  readonly totals?: readonly Json[];
  readonly unreached: readonly (readonly [measure: string, column: string])[];
}

/** Answers a query. Throws QueryError for what the model does not have, or a measure that is broken. */
export function answerQuery(model: ModelData, query: Query): Answer {
  const data = model.askedBy(query);
  const axes = (query.by ?? []).map((item) => axisOf(data, item));
  const measures = query.measures.map((name) => askedMeasure(data, name));
  const evaluator = new Evaluator(data);
  const conditions = (query.filters ?? []).map((filter) => filterCondition(data, evaluator, filter));
  const context: Context = {
    axes,
    steps: conditions.map((condition) => ({ kind: 'condition' as const, condition })),
    via: [],
    repeat: false,
  };
  const unreached = measures.map((m) => unreachedBy(data, m.node, context));
  measures.forEach((m, i) => {
    if (unreached[i]!.length === 0) evaluator.expect(m.node, context);
  });
  const cells = listedCells(evaluator, context, measures, query);
  const results = measures.map((m, i) =>
    unreached[i]!.length > 0
      ? new Array<Value>(cells.tuples.size).fill(null)
      : evaluator.measure(m.name, context, cells),
  );
  const order = rowOrder(query, axes, cells, measures, results).filter((cell) =>
    axes.every((axis, p) => !axis.hidden || axis.hidden[cells.tuples.codes[p]![cell]!] === 0),
  );
  const limited = query.limit === undefined ? order : order.slice(0, query.limit);
  const cell = (row: number): Json[] => [
    ...axes.map((axis, p) => toJson(axis.show(cells.tuples.codes[p]![row]!), axis.type)),
    ...measures.map((m, i) => toJson(results[i]![row]!, m.type)),
  ];
  return {
    columns: [
      ...axes.map((axis) => ({ name: axis.name, type: formatType(axis.type) })),
      ...measures.map((m) => ({ name: m.name, type: formatType(m.type) })),
    ],
    rows: limited.map(cell),
    ...(query.totals ? { totals: totals(evaluator, { ...context, axes: [] }, measures) } : {}),
    unreached: measures.flatMap((m, i) =>
      unreached[i]!.map((c) => [m.name, `${c.table}.${c.column}`] as const),
    ),
  };
}

function filterCondition(data: ModelData, evaluator: Evaluator, filter: QueryFilter): Condition {
  const asked = askedFilter(data, filter);
  if (asked.kind === 'formula') return asked;
  const { period, calendar } = asked;
  // The single day as-of, whatever day the calendar has.
  const asOf = data.today;
  const only: Condition = {
    kind: 'days',
    calendar: calendar.table,
    columns: [],
    keeps: Uint8Array.from([
      0,
      ...data.calendarDays(calendar.table).byRow.map((day) => (day === asOf ? 1 : 0)),
    ]),
  };
  const day = { table: calendar.table, column: calendar.day };
  const keeps = evaluator.periodRows(
    { period, calendar: calendar.table },
    only.keeps.includes(1) ? [only] : [],
    [],
    () => 0,
  );
  return { kind: 'days', calendar: calendar.table, keeps, columns: [day], label: day };
}

function listedCells(
  evaluator: Evaluator,
  context: Context,
  measures: readonly AskedMeasure[],
  query: Query,
): Cells {
  if (context.axes.length === 0) return singleCell();
  const cells = cellsOf(context.axes);
  const enter = (tuples: Cells['tuples']) => {
    for (let i = 0; i < tuples.size; i++) cells.tuples.add((p) => tuples.codes[p]![i]!);
  };
  for (const measure of measures)
    if (unreachedBy(evaluator.data, measure.node, { ...context, repeat: false }).length === 0)
      enter(evaluator.listCells(measure.node, context));
  if (query.empty === 'show')
    for (const base of emptyBases(evaluator.data, context))
      enter(scan(evaluator.data, { ...context, repeat: true }, base).tuples);
  return cells;
}

function totals(evaluator: Evaluator, context: Context, measures: readonly AskedMeasure[]): Json[] {
  const cell = singleCell();
  return measures.map((m) =>
    toJson(
      unreachedBy(evaluator.data, m.node, context).length > 0
        ? null
        : evaluator.measure(m.name, context, cell)[0]!,
      m.type,
    ),
  );
}

type Order = (a: number, b: number) => number;

/** Cell numbers in the order asked for; ties, and all without `sort`, by the members ascending. Nulls come last in either direction. */
function rowOrder(
  query: Query,
  axes: readonly Axis[],
  cells: Cells,
  measures: readonly AskedMeasure[],
  results: readonly Value[][],
): number[] {
  const shown = axes.map((axis, p) => cells.tuples.codes[p]!.map((code) => axis.show(code)));
  const ordering = axes.map((axis, p) =>
    axis.order ? cells.tuples.codes[p]!.map((code) => axis.order!(code)) : shown[p]!,
  );
  const byValues =
    (values: readonly Value[], descending: boolean): Order =>
    (a, b) => {
      const [x, y] = [values[a]!, values[b]!];
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
      return descending ? compareValues(y, x) : compareValues(x, y);
    };
  const asked = (query.sort ?? []).map(({ of, order }): Order => {
    const by = sortedBy(query, of, axes, measures);
    return byValues('measure' in by ? results[by.measure]! : ordering[by.axis]!, order === 'descending');
  });
  const orders = [
    ...asked,
    ...ordering
      .flatMap((values, p) => (axes[p]!.order ? [values, shown[p]!] : [values]))
      .map((values) => byValues(values, false)),
    ...axes.map(
      (_, p): Order =>
        (a, b) =>
          cells.tuples.codes[p]![a]! - cells.tuples.codes[p]![b]!,
    ),
  ];
  return Array.from({ length: cells.tuples.size }, (_, i) => i).sort((a, b) => {
    for (const order of orders) {
      const result = order(a, b);
      if (result !== 0) return result;
    }
    return 0;
  });
}
