import { toJson } from '../values/index.ts';
import type { MemberOfCell, PlainFilter, PlainQuery, Query } from '../model/index.ts';
import type { AskedMeasure } from './asked.ts';
import { askedFilter, askedMeasure, emptyBases, sortedBy } from './asked.ts';
import { axisOf, orderedAxis, QueryError } from './axes.ts';
import type { Condition, Context } from './context.ts';
import type { Cells } from './cells.ts';
import { cellsOf, singleCell } from './cells.ts';
import { Evaluator } from './evaluate.ts';
import type { ModelData } from './modelData.ts';
import type { FoundCell } from './modelRows.ts';
import { FOUND, meetingAxis, noMemberOf } from './noMember.ts';
import { plainQuery } from './onTheSpot.ts';
import { scan } from './scan.ts';
import { topRows } from './top.ts';
import { unreachedBy } from './unreached.ts';
import type { AnswerMember, Order, TextOrder, Worked, WorkedRow } from './workedRows.ts';
import { byAll, byCode, byMembers, byValues, valuesOf } from './workedRows.ts';

/**
 * Works a query out. Throws QueryError for what the model does not have, or a measure that is broken.
 * `cells` says whether those of the answer that was given last are taken where they are of the same question:
 * for what is asked about it.
 */
export function workedOut(
  model: ModelData,
  query: Query,
  texts: TextOrder,
  cells: 'anew' | 'of the last answer' = 'anew',
): Worked {
  const asked = plainQuery(model, query);
  const plain = asked.query;
  const data = model.ofModel(asked.model).forQuery(plain);
  const members = (plain.by ?? []).map((item) =>
    texts === 'counting' ? orderedAxis(data, item) : axisOf(data, item),
  );
  const apart = plain.unmatched === 'apart';
  // How rows meet each member's table stands behind the members, in the same order.
  const axes = apart ? [...members, ...members.map(meetingAxis)] : members;
  const measures = plain.measures.map((name) => askedMeasure(data, name));
  const having = asked.having.map(({ measure, text }) => havingMeasure(data, measure, text));
  const evaluator = new Evaluator(data);
  const conditions = (plain.filters ?? []).map((filter) => filterCondition(data, evaluator, filter, apart));
  const context: Context = {
    axes,
    steps: conditions.map((condition) => ({ kind: 'condition' as const, condition })),
    via: [],
    repeat: false,
  };
  const unreached = measures.map((m) => unreachedBy(data, m.node, context));
  const question = questionOf(asked);
  const known = cells === 'anew' ? undefined : data.lastAnswer;
  const found =
    known?.question === question ? known.cells : cellsFound(evaluator, context, measures, having, plain);
  data.lastAnswer = found.length <= MOST_KEPT ? { question, cells: found } : undefined;
  const listed = found.map((cell): WorkedRow => ({ ...cell, within: context, isOthers: false }));
  const worked = { data, asked, members, apart, context, measures, unreached, evaluator };
  const chosen = asked.top ? topRows(worked, asked.top, listed) : listed;
  const order = orderOf(worked, texts);
  // Where rows are tuples of `by`, no more of them are put in order than are shown.
  const ordered =
    plain.limit !== undefined && asked.acrossCount === 0
      ? firstOf(chosen, plain.limit, order)
      : [...chosen].sort(order);
  return { ...worked, rows: limited(ordered, asked.byCount, plain.limit) };
}

/** Cells of an answer with more are not kept. */
const MOST_KEPT = 20_000;

/** What of a question says which cells its answer has. */
function questionOf({ query, having }: Worked['asked']): string {
  const { sort: _sort, limit: _limit, totals: _totals, ...told } = query;
  return JSON.stringify([told, having]);
}

/** The cells that an answer lists, in no order, with the values of its measures. */
function cellsFound(
  evaluator: Evaluator,
  context: Context,
  measures: readonly AskedMeasure[],
  having: readonly AskedMeasure[],
  query: PlainQuery,
): FoundCell[] {
  const cells = listedCells(evaluator, context, measures, having, query);
  const values = valuesOf(evaluator, context, cells, [...measures, ...having]);
  const { codes: tuples } = cells.tuples;
  const hiding = context.axes.flatMap(({ hidden }, p) => (hidden ? [{ hidden, codes: tuples[p]! }] : []));
  const isListed = (cell: number) =>
    having.every((_, i) => values[measures.length + i]![cell] === true) &&
    hiding.every(({ hidden, codes }) => hidden[codes[cell]!] === 0);
  const found: FoundCell[] = [];
  for (let cell = 0; cell < cells.tuples.size; cell++)
    if (isListed(cell))
      found.push({
        codes: tuples.map((codes) => codes[cell]!),
        values: measures.map((_, i) => values[i]![cell]!),
      });
  return found;
}

/** The members of a row, as an answer has them; `places` are those of its axes. */
export const membersOf = (
  { members, apart, asked }: Pick<Worked, 'members' | 'apart' | 'asked'>,
  row: Pick<WorkedRow, 'within' | 'codes' | 'isOthers'>,
  places: readonly number[] = [...members.keys()],
): AnswerMember[] =>
  places.map((p): AnswerMember => {
    if (row.isOthers && p === asked.byCount - 1) return { others: true };
    const meets = apart ? row.codes[members.length + p]! : FOUND;
    const axis = row.within.axes[p]!;
    return noMemberOf(meets) ?? toJson(axis.show(row.codes[p]!), axis.type);
  });

/** Whether a member that somebody names is that of a row. */
export function isMember(worked: Worked, row: WorkedRow, place: number, named: MemberOfCell): boolean {
  const [member] = membersOf(worked, row, [place]);
  if (named !== null && typeof named === 'object' && 'key' in named) {
    const keys = row.within.axes[place]!.keys?.(row.codes[place]!) ?? [member];
    return JSON.stringify(keys) === JSON.stringify(named.key);
  }
  return JSON.stringify(member) === JSON.stringify(named);
}

function havingMeasure(data: ModelData, name: string, text: string): AskedMeasure {
  try {
    return askedMeasure(data, name);
  } catch (error) {
    if (!(error instanceof QueryError)) throw error;
    throw new QueryError(
      error.message.replaceAll(`measure "${name}"`, `the condition ${text}`),
      error.reason,
    );
  }
}

function filterCondition(
  data: ModelData,
  evaluator: Evaluator,
  filter: PlainFilter,
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

/** Cells in which a measure that is asked for has rows; without any, those of the conditions on measures. */
function listedCells(
  evaluator: Evaluator,
  context: Context,
  measures: readonly AskedMeasure[],
  having: readonly AskedMeasure[],
  query: PlainQuery,
): Cells {
  if (context.axes.length === 0) return singleCell();
  let cells: Cells | undefined;
  const enter = (tuples: Cells['tuples']) => {
    if (!cells) {
      cells = { axes: context.axes, tuples };
      return;
    }
    const { tuples: known } = cells;
    for (let i = 0; i < tuples.size; i++) known.add((p) => tuples.codes[p]![i]!);
  };
  const listing = (measures.length > 0 ? measures : having).filter(
    ({ node }) => unreachedBy(evaluator.data, node, { ...context, repeat: false }).length === 0,
  );
  // What all of them add up comes from the pass that lists the first.
  for (const { node } of listing) evaluator.expect(node, context);
  for (const { node } of listing) enter(evaluator.listCells(node, context));
  if (query.empty === 'show')
    for (const base of emptyBases(evaluator.data, context))
      enter(copyOf(context, scan(evaluator.data, { ...context, repeat: true }, base).tuples));
  return cells ?? cellsOf(context.axes);
}

/** What a scan keeps for itself, to be added to. */
function copyOf(context: Context, tuples: Cells['tuples']): Cells['tuples'] {
  const copy = cellsOf(context.axes).tuples;
  for (let i = 0; i < tuples.size; i++) copy.add((p) => tuples.codes[p]![i]!);
  return copy;
}

/** The order asked for; ties, and all without `sort`, by the members ascending. */
function orderOf(worked: Omit<Worked, 'rows'>, texts: TextOrder): Order {
  const { members, measures, asked } = worked;
  const sorts = (asked.query.sort ?? []).map(({ of, order }): Order => {
    const by = sortedBy(asked.query, of, members, measures);
    if ('measure' in by) return byValues((row) => row.values[by.measure]!, order === 'descending', texts);
    const axis = members[by.axis]!;
    const ordering = axis.order ?? axis.show;
    const isOwn = (row: WorkedRow) => row.isOthers && by.axis === asked.byCount - 1;
    return byValues(
      (row) => (isOwn(row) ? null : ordering(row.codes[by.axis]!)),
      order === 'descending',
      texts,
    );
  });
  const places = [...members.keys()];
  const othersLast: Order = (a, b) => Number(a.isOthers) - Number(b.isOthers);
  const orders = [
    ...(sorts.length > 0 ? [othersLast] : []),
    ...sorts,
    ...byMembers(worked, places, texts),
    ...places.map(byCode),
  ];
  return byAll(orders);
}

/** Beyond this share of the rows, to put all of them in order is quicker. */
const FEW = 1 / 8;

/**
 * The first rows in an order, as sorting all of them would give them: those found so far are kept in order,
 * and most of the others are only held against the last of these.
 */
function firstOf(rows: readonly WorkedRow[], count: number, order: Order): WorkedRow[] {
  if (count > rows.length * FEW) return [...rows].sort(order).slice(0, count);
  const first: WorkedRow[] = [];
  for (const row of rows) {
    if (first.length === count && (count === 0 || order(row, first[count - 1]!) >= 0)) continue;
    let [low, high] = [0, first.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (order(row, first[middle]!) < 0) high = middle;
      else low = middle + 1;
    }
    first.splice(low, 0, row);
    if (first.length > count) first.pop();
  }
  return first;
}

/** The rows of the first tuples of `by`. */
function limited(
  rows: readonly WorkedRow[],
  byCount: number,
  limit: number | undefined,
): readonly WorkedRow[] {
  if (limit === undefined) return rows;
  const first = new Set<string>();
  for (const row of rows) {
    if (first.size >= limit) break;
    first.add(tupleText(row, byCount));
  }
  return rows.filter((row) => first.has(tupleText(row, byCount)));
}

const tupleText = (row: WorkedRow, byCount: number): string =>
  `${row.isOthers ? 'others ' : ''}${row.codes.slice(0, byCount).join()}`;
