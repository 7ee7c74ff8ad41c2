import type { Value } from '../values/index.ts';
import { compareCounting, compareValues, formatType, toJson } from '../values/index.ts';
import type { AskedCell, NoMember, Query, QueryFilter } from '../model/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { AskedMeasure } from './asked.ts';
import { askedFilter, askedMeasure, emptyBases, sortedBy } from './asked.ts';
import { axisOf, orderedAxis } from './axes.ts';
import { QueryError } from './axes.ts';
import type { Axis, Condition, Context, Step } from './context.ts';
import type { Cells } from './cells.ts';
import { cellsOf, singleCell } from './cells.ts';
import { Evaluator } from './evaluate.ts';
import type { ModelData } from './modelData.ts';
import { FOUND, meetingAxis, noMemberOf } from './noMember.ts';
import { scan } from './scan.ts';
import type { TracedPart } from './trace.ts';
import { CellTracer } from './trace.ts';
import { unreachedBy } from './unreached.ts';

export type Json = null | boolean | number | string;

/** A member of an attribute: a value, null, or why there is none where the query tells that apart. */
export type AnswerMember = Json | NoMember;

export interface AnswerColumn {
  readonly name: string;
  readonly type: string;
  readonly kind: 'by' | 'measure';
}

/**
 * The answer to a query: rows hold the members of `by`, then the measures; see "A query" of the model file's
 * page.
 */
export interface Answer {
  readonly columns: readonly AnswerColumn[];
  readonly rows: readonly (readonly AnswerMember[])[];
  readonly totals?: readonly Json[];
  readonly unreached: readonly (readonly [measure: string, column: string])[];
}

/** A query that has been worked out: cells in their order, and a value of each measure for each cell. */
interface Worked {
  readonly data: ModelData;
  readonly members: readonly Axis[];
  readonly apart: boolean;
  readonly context: Context;
  readonly measures: readonly AskedMeasure[];
  readonly unreached: readonly (readonly ColumnName[])[];
  readonly evaluator: Evaluator;
  readonly cells: Cells;
  readonly results: readonly (readonly Value[])[];
  /** Numbers of the cells that are listed. */
  readonly listed: readonly number[];
}

function workedOut(model: ModelData, query: Query, texts: TextOrder): Worked {
  const data = model.forQuery(query);
  const members = (query.by ?? []).map((item) =>
    texts === 'counting' ? orderedAxis(data, item) : axisOf(data, item),
  );
  const apart = query.unmatched === 'apart';
  // How rows meet each member's table stands behind the members, in the same order.
  const axes = apart ? [...members, ...members.map(meetingAxis)] : members;
  const measures = query.measures.map((name) => askedMeasure(data, name));
  const evaluator = new Evaluator(data);
  const conditions = (query.filters ?? []).map((filter) => filterCondition(data, evaluator, filter, apart));
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
  const order = rowOrder(query, members, cells, measures, results, texts).filter((cell) =>
    axes.every((axis, p) => !axis.hidden || axis.hidden[cells.tuples.codes[p]![cell]!] === 0),
  );
  const listed = query.limit === undefined ? order : order.slice(0, query.limit);
  return { data, members, apart, context, measures, unreached, evaluator, cells, results, listed };
}

/** The members of a cell, as an answer has them. */
const membersOf = ({ members, apart, cells }: Worked, cell: number): AnswerMember[] =>
  members.map((axis, p): AnswerMember => {
    const meets = apart ? cells.tuples.codes[members.length + p]![cell]! : FOUND;
    return noMemberOf(meets) ?? toJson(axis.show(cells.tuples.codes[p]![cell]!), axis.type);
  });

/** Answers a query. Throws QueryError for what the model does not have, or a measure that is broken. */
export function answerQuery(model: ModelData, query: Query, texts: TextOrder = 'code points'): Answer {
  const worked = workedOut(model, query, texts);
  const { members, measures, results, listed, evaluator, context, unreached } = worked;
  return {
    columns: [
      ...members.map((axis) => ({ name: axis.name, type: formatType(axis.type), kind: 'by' as const })),
      ...measures.map((m) => ({ name: m.name, type: formatType(m.type), kind: 'measure' as const })),
    ],
    rows: listed.map((cell) => [
      ...membersOf(worked, cell),
      ...measures.map((m, i) => toJson(results[i]![cell]!, m.type)),
    ]),
    ...(query.totals ? { totals: totals(evaluator, { ...context, axes: [] }, measures) } : {}),
    unreached: measures.flatMap((m, i) =>
      unreached[i]!.map((c) => [m.name, `${c.table}.${c.column}`] as const),
    ),
  };
}

/** Why a cell is what it is. */
export interface CellTrace {
  readonly measure: string;
  readonly value: Json;
  readonly parts: readonly TracedPart[];
}

/**
 * Works a cell of an answer out once more, and tells what was done. Throws QueryError where the answer has no
 * such row.
 */
export function traceCell(model: ModelData, query: Query, asked: AskedCell): CellTrace {
  const measure = askedMeasure(model.forQuery(query), asked.measure);
  const worked = workedOut(
    model,
    { ...query, measures: query.measures, limit: undefined, sort: [] },
    'code points',
  );
  const { data, context, cells, listed } = worked;
  const wanted = JSON.stringify(asked.members);
  const cell = listed.find((one) => JSON.stringify(membersOf(worked, one)) === wanted);
  if (cell === undefined) throw new QueryError(`the answer has no row ${wanted}`);
  const one = cellsOf(context.axes);
  one.tuples.add((p) => cells.tuples.codes[p]![cell]!);
  const said = new Map<Axis | Step, string>([
    ...worked.members.map((axis, p): [Axis, string] => [
      axis,
      `${axis.name} = ${memberText(asked.members[p]!)}`,
    ]),
    ...context.steps.map((step, i): [Step, string] => [step, filterText(query.filters![i]!)]),
  ]);
  const tracer = new CellTracer(data, said);
  const [value] = new Evaluator(data, tracer).values(measure.node, context, one);
  const [top] = tracer.parts;
  const applies = unreachedBy(data, measure.node, context).length === 0;
  return {
    measure: measure.name,
    value: applies ? toJson(value!, measure.type) : null,
    parts: top?.parts ?? [],
  };
}

const memberText = (member: AnswerMember): string =>
  member === null
    ? 'null'
    : typeof member === 'object'
      ? 'unmatched' in member
        ? 'unmatched'
        : 'null'
      : String(member);

/** A filter in words. */
function filterText(filter: QueryFilter): string {
  if ('where' in filter) return filter.where;
  if ('period' in filter) return filter.calendar ? `${filter.period} by ${filter.calendar}` : filter.period;
  const texts = filter.in.map(memberText);
  return texts.length <= 3
    ? `${filter.column} in (${texts.join(', ')})`
    : `${filter.column} in (${texts.slice(0, 2).join(', ')} and ${texts.length - 2} more)`;
}

function filterCondition(
  data: ModelData,
  evaluator: Evaluator,
  filter: QueryFilter,
  apart: boolean,
): Condition {
  const asked = askedFilter(data, filter, apart);
  if (asked.kind !== 'period') return asked;
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

/** How texts are put in order: by code point, or as people count, so that "Shop 2" comes before "Shop 10". */
export type TextOrder = 'code points' | 'counting';

/**
 * Cell numbers in the order asked for; ties, and all without `sort`, by the members ascending. Nulls come
 * last in either direction: of them first those that were found, then those without a reference, then those
 * without a partner.
 */
function rowOrder(
  query: Query,
  axes: readonly Axis[],
  cells: Cells,
  measures: readonly AskedMeasure[],
  results: readonly Value[][],
  texts: TextOrder,
): number[] {
  const { codes } = cells.tuples;
  const shown = axes.map((axis, p) => codes[p]!.map((code) => axis.show(code)));
  const ordering = axes.map((axis, p) =>
    axis.order ? codes[p]!.map((code) => axis.order!(code)) : shown[p]!,
  );
  const compare = texts === 'counting' ? compareCounting : compareValues;
  const byValues =
    (values: readonly Value[], descending: boolean): Order =>
    (a, b) => {
      const [x, y] = [values[a]!, values[b]!];
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
      return descending ? compare(y, x) : compare(x, y);
    };
  const byCode =
    (place: number): Order =>
    (a, b) =>
      codes[place]![a]! - codes[place]![b]!;
  const asked = (query.sort ?? []).map(({ of, order }): Order => {
    const by = sortedBy(query, of, axes, measures);
    return byValues('measure' in by ? results[by.measure]! : ordering[by.axis]!, order === 'descending');
  });
  const byMember = axes.flatMap((axis, p): Order[] => [
    byValues(ordering[p]!, false),
    ...(axis.order ? [byValues(shown[p]!, false)] : []),
    ...(codes.length > axes.length ? [byCode(axes.length + p)] : []),
  ]);
  const orders = [...asked, ...byMember, ...axes.map((_, p) => byCode(p))];
  return Array.from({ length: cells.tuples.size }, (_, i) => i).sort((a, b) => {
    for (const order of orders) {
      const result = order(a, b);
      if (result !== 0) return result;
    }
    return 0;
  });
}
