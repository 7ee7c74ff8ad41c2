import type { DataType, Value } from '../values/index.ts';
import { BOOLEAN, compareValues, formatType, fromJson, nearestName, TEXT, toJson } from '../values/index.ts';
import type { ByItem, Query, QueryFilter } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { CheckedFormula, Typed } from '../formula/index.ts';
import { columnsOf, parsePeriod, placeOf } from '../formula/index.ts';
import type { Axis, Condition, Context } from './context.ts';
import type { Cells } from './evaluate.ts';
import { cellsOf, Evaluator, singleCell } from './evaluate.ts';
import type { Named } from './axes.ts';
import { axisOf, QueryError, resolvePath } from './axes.ts';
import type { ModelData } from './modelData.ts';
import { scan, unreachedColumns } from './scan.ts';

export type Json = null | boolean | number | string;

/** The answer to a query: rows hold the members of `by`, then the measures; see "A query" of the model file's page. */
export interface Answer {
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  readonly rows: readonly (readonly Json[])[];
  readonly totals?: readonly Json[];
  readonly unreached: readonly (readonly [measure: string, column: string])[];
}

/** A measure of a query, checked. */
export interface AskedMeasure {
  readonly name: string;
  readonly node: Typed;
  readonly type: DataType;
}

/** Answers a query. Throws QueryError for what the model does not have, or a measure that is broken. */
export function answerQuery(data: ModelData, query: Query): Answer {
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
  const unreached = measures.map((m) => evaluator.unreached(m.node, context));
  const cells = listedCells(evaluator, context, measures, query);
  const results = measures.map((m, i) =>
    unreached[i]!.length > 0 ? new Array<Value>(cells.tuples.size).fill(null) : evaluator.measure(m.name, context, cells),
  );
  const order = rowOrder(query, axes, cells, measures, results);
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
    unreached: measures.flatMap((m, i) => unreached[i]!.map((c) => [m.name, `${c.table}.${c.column}`] as const)),
  };
}

/** The measure asked for, or an error that names it with all its faults. */
export function askedMeasure(data: Named, name: string): AskedMeasure {
  const measure = data.checker.names.measure(name);
  if (!measure) {
    const near = nearestName(
      name,
      (data.model.measures ?? []).map((m) => m.name),
    );
    throw new QueryError(`there is no measure "${name}"${near ? `: did you mean "${near}"?` : ''}`);
  }
  const checked = data.checker.measure(measure.name)!;
  if (!checked.typed) throw new QueryError(brokenMeasure(data, measure.name, checked));
  return {
    name: measure.name,
    node: { kind: 'measure', name: measure.name, type: checked.typed.type, span: checked.typed.span },
    type: checked.typed.type ?? TEXT,
  };
}

/** What is wrong with a measure, with places, down to the measures that it rests on. */
export function brokenMeasure(
  data: Pick<ModelData, 'checker'>,
  name: string,
  checked: CheckedFormula,
  seen: readonly string[] = [],
): string {
  const own = checked.faults.map((fault) => {
    const { line, column } = placeOf(checked.source, fault.start);
    return `measure "${name}", line ${line}, column ${column}: ${fault.message}`;
  });
  const below = checked.restsOn
    .filter((other) => !seen.includes(other))
    .map(
      (other) =>
        `measure "${name}" uses "${other}", which is broken: ${brokenMeasure(data, other, data.checker.measure(other)!, [...seen, name])}`,
    );
  return [...own, ...below].join('\n');
}

function filterCondition(data: ModelData, evaluator: Evaluator, filter: QueryFilter): Condition {
  if ('column' in filter) return memberCondition(data, filter);
  if ('where' in filter) {
    const checked = data.checker.condition(filter.where);
    if (!checked.typed) {
      const fault = checked.faults[0]!;
      throw new QueryError(
        `the filter ${filter.where}, column ${placeOf(filter.where, fault.start).column}: ${checked.faults.map((f) => f.message).join('; ')}`,
      );
    }
    return { kind: 'formula', typed: checked.typed, columns: columnsOf(checked.typed) };
  }
  const { period, faults } = parsePeriod(filter.period);
  if (!period || faults.length > 0) throw new QueryError(`the period filter: ${faults.map((f) => f.message).join('; ')}`);
  const calendars = data.model.calendars ?? [];
  const calendar = filter.calendar === undefined ? calendars[0] : calendars.find((c) => sameName(c.table, filter.calendar!));
  if (!calendar || (filter.calendar === undefined && calendars.length > 1)) {
    throw new QueryError(
      filter.calendar === undefined
        ? `a period filter names its calendar: ${calendars.map((c) => c.table).join(', ') || 'the model has none'}`
        : `"${filter.calendar}" is no calendar of the model`,
    );
  }
  // The single day as-of, whatever day the calendar has.
  const asOf = data.today;
  const only: Condition = {
    kind: 'days',
    calendar: calendar.table,
    columns: [],
    keeps: Uint8Array.from([0, ...data.calendarDays(calendar.table).byRow.map((day) => (day === asOf ? 1 : 0))]),
  };
  const day = { table: calendar.table, column: calendar.day };
  const keeps = evaluator.periodRows({ period, calendar: calendar.table }, only.keeps.includes(1) ? [only] : [], [], () => 0);
  return { kind: 'days', calendar: calendar.table, keeps, columns: [day], label: day };
}

function memberCondition(data: ModelData, filter: Extract<QueryFilter, { column: string }>): Condition {
  const { table, column } = resolvePath(data, filter.column);
  const { type } = data.column(table, column);
  const span = { start: 0, end: 0 };
  const operand: Typed = { kind: 'column', table, column, type, span };
  const members = filter.in
    .filter((member) => member !== null)
    .flatMap((member): Typed[] => {
      const value = fromJson(member, type);
      if (value === undefined && typeof member !== 'number' && type.kind !== 'text')
        throw new QueryError(`the filter on ${filter.column}: ${JSON.stringify(member)} is no ${formatType(type)}`);
      if (value === undefined && (type.kind === 'text' || type.kind === 'boolean'))
        throw new QueryError(`the filter on ${filter.column}: ${JSON.stringify(member)} is no ${formatType(type)}`);
      return value === undefined ? [] : [{ kind: 'constant', value, type, span }];
    });
  const among: Typed = { kind: 'in', operand, list: members, not: false, type: BOOLEAN, span };
  const none: Typed = { kind: 'is-null', operand, not: false, type: BOOLEAN, span };
  const typed: Typed = filter.in.includes(null) ? { kind: 'logic', operator: 'or', left: among, right: none, type: BOOLEAN, span } : among;
  return { kind: 'formula', typed, columns: [{ table, column }] };
}

function listedCells(evaluator: Evaluator, context: Context, measures: readonly AskedMeasure[], query: Query): Cells {
  if (context.axes.length === 0) return singleCell();
  const cells = cellsOf(context.axes);
  const enter = (tuples: Cells['tuples']) => {
    for (let i = 0; i < tuples.size; i++) cells.tuples.add((p) => tuples.codes[p]![i]!);
  };
  for (const measure of measures)
    if (evaluator.unreached(measure.node, { ...context, repeat: false }).length === 0) enter(evaluator.listCells(measure.node, context));
  if (query.empty === 'show')
    for (const base of emptyBases(evaluator.data, context)) enter(scan(evaluator.data, { ...context, repeat: true }, base).tuples);
  return cells;
}

/** Tables whose combinations are listed under `"empty": "show"`. */
function emptyBases(data: ModelData, context: Context): string[] {
  const tables = [...new Set(context.axes.map((axis) => axis.table))];
  if (tables.length === 1) return tables;
  const axesOnly: Context = { ...context, steps: [] };
  return data.model.tables.filter((t) => t.role === 'fact' && unreachedColumns(data, axesOnly, t.name).length === 0).map((t) => t.name);
}

function totals(evaluator: Evaluator, context: Context, measures: readonly AskedMeasure[]): Json[] {
  const cell = singleCell();
  return measures.map((m) =>
    toJson(evaluator.unreached(m.node, context).length > 0 ? null : evaluator.measure(m.name, context, cell)[0]!, m.type),
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
  const byValues =
    (values: readonly Value[], descending: boolean): Order =>
    (a, b) => {
      const [x, y] = [values[a]!, values[b]!];
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
      return descending ? compareValues(y, x) : compareValues(x, y);
    };
  const asked = (query.sort ?? []).map(({ of, order }): Order => {
    const descending = order === 'descending';
    const measure = typeof of === 'string' ? measures.findIndex((m) => sameName(m.name, of)) : -1;
    if (measure >= 0) return byValues(results[measure]!, descending);
    const axis = (query.by ?? []).findIndex(
      (item, p) => sameItem(item, of) || (typeof of === 'string' && sameName(axes[p]!.name, of.replaceAll('"', ''))),
    );
    if (axis < 0) throw new QueryError(`sort names ${JSON.stringify(of)}, which the query does not ask for`);
    return byValues(shown[axis]!, descending);
  });
  const orders = [
    ...asked,
    ...shown.map((values) => byValues(values, false)),
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

const sameItem = (a: ByItem, b: ByItem): boolean => JSON.stringify(a).toLowerCase() === JSON.stringify(b).toLowerCase();
