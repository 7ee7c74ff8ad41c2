import type { Value } from '../values/index.ts';
import { formatType, toJson } from '../values/index.ts';
import type { AskedCell, MemberOfCell, PlainFilter, Query } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { AskedMeasure } from './asked.ts';
import { askedMeasure } from './asked.ts';
import { QueryError } from './axes.ts';
import type { Axis, Context, Step } from './context.ts';
import type { Cells } from './cells.ts';
import { cellsOf, singleCell } from './cells.ts';
import { Evaluator } from './evaluate.ts';
import type { GoalStates } from './goals.ts';
import { goalStates } from './goals.ts';
import type { ModelData } from './modelData.ts';
import { pathOf } from './onTheSpot.ts';
import type { TracedPart, TracedStep } from './trace.ts';
import { CellTracer } from './trace.ts';
import { unreachedBy } from './unreached.ts';
import { isMember, membersOf, workedOut } from './worked.ts';
import type { AnswerMember, Json, TextOrder, Worked, WorkedRow } from './workedRows.ts';
import { byAll, byMembers, valuesOf } from './workedRows.ts';

export type { AnswerMember, Json, TextOrder } from './workedRows.ts';

export interface AnswerColumn {
  readonly name: string;
  readonly type: string;
  readonly kind: 'by' | 'across' | 'measure';
}

/** Rows for prefixes of `by` and `across`: so many members of each, then the measures. */
export interface Subtotals {
  readonly by: number;
  readonly across: number;
  readonly rows: readonly (readonly AnswerMember[])[];
  /** As in the answer. */
  readonly keys?: readonly MemberKeys[];
}

/** Of each member of a row the values that tell it apart; null where that is what is shown. */
export type MemberKeys = readonly (readonly Json[] | null)[];

/**
 * The answer to a query: rows hold the members of `by`, those of `across`, then the measures; see "A query"
 * of the model file's page.
 */
export interface Answer {
  readonly columns: readonly AnswerColumn[];
  readonly rows: readonly (readonly AnswerMember[])[];
  /** Of the members of each row, where they are asked for: the keys of those whose label stands twice. */
  readonly keys?: readonly MemberKeys[];
  readonly totals?: readonly Json[];
  readonly subtotals?: readonly Subtotals[];
  /** How cells stand to the goals of their measures, where they are asked for and there are any. */
  readonly goals?: GoalStates;
  readonly unreached: readonly (readonly [measure: string, column: string])[];
}

/** What is told beside an answer where it is asked for. */
export interface Extras {
  /** Keys of members whose label stands twice. */
  readonly keys?: boolean | undefined;
  /** How cells stand to the goals of their measures. */
  readonly goals?: boolean | undefined;
}

/** Answers a query. Throws QueryError for what the model does not have, or a measure that is broken. */
export function answerQuery(
  model: ModelData,
  query: Query,
  texts: TextOrder = 'code points',
  extras: Extras = {},
): Answer {
  const worked = workedOut(model, query, texts);
  const withKeys = extras.keys === true;
  const goals = extras.goals ? goalStates(worked) : undefined;
  const { members, measures, rows, evaluator, context, unreached, asked } = worked;
  return {
    columns: [
      ...members.map((axis, p) => ({
        name: shownName(worked, axis),
        type: formatType(axis.type),
        kind: p < asked.byCount ? ('by' as const) : ('across' as const),
      })),
      ...measures.map((m) => ({ name: m.name, type: formatType(m.type), kind: 'measure' as const })),
    ],
    rows: rows.map((row) => [...membersOf(worked, row), ...jsonValues(row.values, measures)]),
    ...keysField(worked, rows, [...members.keys()], withKeys),
    ...(query.totals ? { totals: totals(evaluator, context, measures) } : {}),
    ...(query.subtotals ? { subtotals: subtotals(worked, texts, withKeys) } : {}),
    ...(goals ? { goals } : {}),
    unreached: measures.flatMap((m, i) =>
      unreached[i]!.map(
        (c) => [m.name, asked.namesOf.get(pathOf(c.table, c.column)) ?? `${c.table}.${c.column}`] as const,
      ),
    ),
  };
}

/** What is shown for several members of an axis; nothing of one whose members are what is shown. */
function repeatedLabels({ keys, width, show }: Axis): ReadonlySet<Value> {
  const [met, twice] = [new Set<Value>(), new Set<Value>()];
  if (!keys) return twice;
  for (let code = 1; code < width; code++) (met.has(show(code)) ? twice : met).add(show(code));
  return twice;
}

/** Keys of members at some places of rows, where they are asked for and there are any. */
function keysField(
  { members, asked }: Worked,
  rows: readonly WorkedRow[],
  places: readonly number[],
  withKeys: boolean,
): { keys?: MemberKeys[] } {
  if (!withKeys || !places.some((p) => members[p]!.keys)) return {};
  const repeated = new Map(places.map((p) => [p, repeatedLabels(members[p]!)]));
  const keyOf = (row: WorkedRow, p: number) => {
    const code = row.codes[p]!;
    // Code 0 is no member, however a row came to have none.
    if (code === 0 || (row.isOthers && p === asked.byCount - 1)) return null;
    return repeated.get(p)!.has(members[p]!.show(code)) ? members[p]!.keys!(code) : null;
  };
  return { keys: rows.map((row) => places.map((p) => keyOf(row, p))) };
}

const jsonValues = (values: readonly Value[], measures: readonly AskedMeasure[]): Json[] =>
  measures.map((m, i) => toJson(values[i]!, m.type));

/** The name of an item: that of an attribute on the spot is its own. */
const shownName = ({ asked }: Worked, { name, table, column }: Axis): string =>
  (column === undefined ? undefined : asked.namesOf.get(pathOf(table, column))) ?? name;

const totals = (evaluator: Evaluator, context: Context, measures: readonly AskedMeasure[]): Json[] =>
  jsonValues(
    valuesOf(evaluator, { ...context, axes: [] }, singleCell(), measures).map(([value]) => value!),
    measures,
  );

// ---------- subtotals ----------

/** Places of the axes of a prefix: of `by`, of `across`, and of how their members are met. */
function placesOf({ asked, members, apart }: Worked, by: number, across: number): number[] {
  const places = [
    ...Array.from({ length: by }, (_, p) => p),
    ...Array.from({ length: across }, (_, p) => asked.byCount + p),
  ];
  return apart ? [...places, ...places.map((p) => members.length + p)] : places;
}

/** Every pair of a prefix of `by` and a prefix of `across`, but for the full pair and the empty one. */
function subtotals(worked: Worked, texts: TextOrder, withKeys: boolean): Subtotals[] {
  const { byCount, acrossCount } = worked.asked;
  const found: Subtotals[] = [];
  for (let by = 0; by <= byCount; by++)
    for (let across = 0; across <= acrossCount; across++) {
      if (by + across === 0 || (by === byCount && across === acrossCount)) continue;
      const { rows, places } = subtotalRows(worked, by, across, texts);
      found.push({
        by,
        across,
        rows: rows.map((row) => [
          ...membersOf(worked, row, places),
          ...jsonValues(row.values, worked.measures),
        ]),
        ...keysField(worked, rows, places, withKeys),
      });
    }
  return found;
}

/**
 * A row for each combination of members that is shown, each in its own context: those of `by` in the order in
 * which they are shown, those of `across` ascending.
 */
function subtotalRows(
  worked: Worked,
  by: number,
  across: number,
  texts: TextOrder,
): { rows: readonly WorkedRow[]; places: readonly number[] } {
  const { asked, context, evaluator, measures, rows } = worked;
  const places = placesOf(worked, by, across);
  const shownBy = new Map<string, number>();
  const parts = new Map<Context, { cells: Cells; context: Context; examples: WorkedRow[] }>();
  for (const row of rows) {
    const isWhole = by === asked.byCount;
    const full = isWhole ? row.within : context;
    let part = parts.get(full);
    if (!part) {
      const own: Context = { ...full, axes: places.map((p) => full.axes[p]!) };
      parts.set(full, (part = { context: own, cells: cellsOf(own.axes), examples: [] }));
    }
    const cell = part.cells.tuples.add((i) => row.codes[places[i]!]!);
    if (cell === part.examples.length) part.examples.push(isWhole ? row : { ...row, isOthers: false });
    const text = byText(worked, row, by);
    if (!shownBy.has(text)) shownBy.set(text, shownBy.size);
  }
  const made = [...parts.values()].flatMap((part) => {
    const values = valuesOf(evaluator, part.context, part.cells, measures);
    return part.examples.map((row, cell): WorkedRow => ({
      ...row,
      values: measures.map((_, i) => values[i]![cell]!),
    }));
  });
  const members = [...Array(by).keys(), ...Array.from({ length: across }, (_, p) => asked.byCount + p)];
  const sorted = made.sort(
    byAll([
      (a, b) => shownBy.get(byText(worked, a, by))! - shownBy.get(byText(worked, b, by))!,
      ...byMembers(worked, members.slice(by), texts),
      ...members.slice(by).map((p) => (a: WorkedRow, b: WorkedRow) => a.codes[p]! - b.codes[p]!),
    ]),
  );
  return { rows: sorted, places: members };
}

/** Which members of a prefix of `by` a row has. */
const byText = ({ apart, members, asked }: Worked, row: WorkedRow, by: number): string =>
  Array.from({ length: by }, (_, p) =>
    row.isOthers && p === asked.byCount - 1
      ? `others ${row.codes.slice(0, p).join()}`
      : `${row.codes[p]}${apart ? ` ${row.codes[members.length + p]}` : ''}`,
  ).join();

// ---------- one cell ----------

/** A cell that somebody asks about: the context that it is evaluated in, and its tuple. */
export interface Addressed {
  readonly worked: Worked;
  readonly measure: AskedMeasure;
  readonly context: Context;
  /** The one cell. */
  readonly cell: Cells;
  /** Its members in words, by axis. */
  readonly said: ReadonlyMap<Axis | Step, string>;
}

/**
 * Finds cells of an answer, subtotals or the total: the query is worked out once. Throws QueryError where the
 * answer has no such row, or several.
 */
export function addressCells(model: ModelData, query: Query, cells: readonly AskedCell[]): Addressed[] {
  const { limit: _limit, ...whole } = query;
  const measures = cells.reduce((all, cell) => measuredBy(all, cell.measure), query.measures);
  const worked = workedOut(model, { ...whole, measures, sort: [] }, 'code points', 'of the last answer');
  return cells.map((cell) => addressed(worked, cell));
}

function addressed(worked: Worked, asked: AskedCell): Addressed {
  const { data, rows } = worked;
  const measure = askedMeasure(data, asked.measure);
  const { byCount, acrossCount } = worked.asked;
  const given = asked.by ?? asked.members ?? [];
  const by = given.slice(0, byCount);
  const across = asked.across ?? given.slice(byCount);
  if (across.length > acrossCount)
    throw new QueryError(
      `the cell names ${given.length + (asked.across?.length ?? 0)} members, the query has ${byCount + acrossCount} items`,
    );
  const places = placesOf(worked, by.length, across.length);
  const named: [number, MemberOfCell][] = [
    ...by.map((member, p): [number, MemberOfCell] => [p, member]),
    ...across.map((member, p): [number, MemberOfCell] => [byCount + p, member]),
  ];
  const matching = rows.filter((row) => named.every(([p, member]) => isMember(worked, row, p, member)));
  const isWhole = by.length === byCount;
  const tuples = new Set(matching.map((row) => places.map((p) => row.codes[p]).join()));
  const [row] = matching;
  if (!row && named.length > 0)
    throw new QueryError(`the answer has no row ${JSON.stringify(named.map(([, member]) => member))}`);
  if (named.length > 0 && tuples.size > 1)
    throw new QueryError(
      `several members are called ${JSON.stringify(named.map(([, member]) => member))}: name one by its key, as in { "key": […] }`,
    );
  const full = row && isWhole ? row.within : worked.context;
  const context: Context = { ...full, axes: places.map((p) => full.axes[p]!) };
  const cell = cellsOf(context.axes);
  cell.tuples.add((i) => row!.codes[places[i]!]!);
  const said = new Map<Axis | Step, string>([
    ...named.map(([p, member], i): [Axis, string] => [
      context.axes[i]!,
      `${shownName(worked, worked.members[p]!)} = ${saidText(worked, row, p, member)}`,
    ]),
    ...context.steps.map((step, i): [Step, string] => [step, filterText(worked.asked.query.filters![i]!)]),
  ]);
  return { worked, measure, context, cell, said };
}

/** The measures that are asked for, with the one that a cell is of; one on the spot is among them. */
const measuredBy = (measures: Query['measures'], measure: string): Query['measures'] =>
  measures.some((m) => typeof m !== 'string' || sameName(m, measure)) ? measures : [...measures, measure];

/** Why a cell is what it is. */
export interface CellTrace {
  readonly measure: string;
  readonly value: Json;
  readonly parts: readonly TracedPart[];
  /** Expressions of the measure's own formula, innermost first. */
  readonly steps?: readonly TracedStep[];
}

/**
 * Works a cell of an answer out once more, and tells what was done. Throws QueryError where the answer has no
 * such row.
 */
export function traceCell(model: ModelData, query: Query, asked: AskedCell): CellTrace {
  const [{ worked, measure, context, cell, said }] = addressCells(model, query, [asked]) as [Addressed];
  const tracer = new CellTracer(worked.data, said);
  const [value] = new Evaluator(worked.data, tracer).values(measure.node, context, cell);
  const [top] = tracer.parts;
  const applies = unreachedBy(worked.data, measure.node, context).length === 0;
  return {
    measure: measure.name,
    value: applies ? toJson(value!, measure.type) : null,
    parts: top?.parts ?? [],
    ...(top?.steps ? { steps: top.steps } : {}),
  };
}

/** A member in words: its label, with its key where it was named by that. */
function saidText(worked: Worked, row: WorkedRow | undefined, place: number, named: MemberOfCell): string {
  const isKeyed = named !== null && typeof named === 'object' && 'key' in named;
  if (!isKeyed || !row) return memberText(named);
  return `${memberText(membersOf(worked, row, [place])[0]!)} (${memberText(named)})`;
}

const memberText = (member: MemberOfCell): string => {
  if (member === null) return 'null';
  if (typeof member !== 'object') return String(member);
  if ('key' in member) return member.key.map((k) => memberText(k)).join(' ');
  return 'others' in member ? 'all others' : 'unmatched' in member ? 'unmatched' : 'null';
};

/** A filter in words. */
function filterText(filter: PlainFilter): string {
  if ('where' in filter) return filter.where;
  if ('period' in filter) return filter.calendar ? `${filter.period} by ${filter.calendar}` : filter.period;
  const texts = filter.in.map(memberText);
  return texts.length <= 3
    ? `${filter.column} in (${texts.join(', ')})`
    : `${filter.column} in (${texts.slice(0, 2).join(', ')} and ${texts.length - 2} more)`;
}
