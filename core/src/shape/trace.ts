import {
  formatType,
  isNumeric,
  rescale,
  scaleOf,
  toJson,
  add,
  multiply,
  isExact,
  counted,
} from '../values/index.ts';
import type { Exact } from '../values/index.ts';
import type { Column, TableData } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { JoinKind, Model, Step, Table } from '../model/index.ts';
import { argumentOf, sameName } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import type { JoinFinding } from './joinFindings.ts';
import { joinFindings } from './joinFindings.ts';
import type { LookupFacts } from './lookupFacts.ts';
import { lookupFacts } from './lookupFacts.ts';
import { keptRows, matchJoin } from './joinMatch.ts';
import { firstState, runStep } from './run.ts';
import { readTables } from './origins.ts';
import { readStep } from './steps/index.ts';
import type { StepSetting } from './step.ts';

export type Json = null | boolean | number | string;

/** What stands after a step of a derived table. */
export interface StepState {
  /** From 1. */
  readonly place: number;
  readonly verb: string;
  readonly rows: number;
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  /** Sums of the columns that are quantities, as far as they are known to be. */
  readonly totals: readonly { readonly column: string; readonly total: Json }[];
  readonly join?: JoinFacts;
  readonly lookup?: LookupFacts;
}

/** What a join meets, before and after it is chosen. */
export interface JoinFacts {
  readonly table: string;
  readonly ownRows: number;
  readonly theirRows: number;
  /** Rows that the join makes. */
  readonly rows: number;
  /** Rows of either side that have no partner. */
  readonly ownLone: number;
  readonly theirLone: number;
  /** Rows that each kind would make. */
  readonly keeps: Readonly<Record<JoinKind, number>>;
  readonly findings: readonly JoinFinding[];
}

export interface StepTrace {
  readonly states: readonly StepState[];
  /** What is wrong with the step behind the last state; the steps after it were not run. */
  readonly fault?: {
    readonly place: number;
    readonly message: string;
    /** Of a join that would make too many rows to be tried. */
    readonly join?: JoinFacts;
  };
}

/** Keeps the states of steps that have been run, by what they rest on; see `stateKeeper`. */
export interface KeptStates {
  get(key: string): TableData | undefined;
  set(key: string, state: TableData): void;
}

/** A join that makes more rows than this is not run to be looked at: what it would do is known without. */
const MOST_TRIED = 20_000_000;

/**
 * The states of a derived table's steps with what each did. A step that cannot be run ends the list with its
 * fault.
 */
export function traceSteps(
  model: Model,
  table: Table,
  steps: readonly Step[],
  setting: StepSetting,
  kept?: KeptStates,
): StepTrace {
  const states: StepState[] = [];
  let quantities: ReadonlySet<string> = new Set();
  let before: TableData | undefined;
  for (const [i, step] of steps.entries()) {
    try {
      const [verb] = Object.keys(step);
      const facts = before && verb === 'join' ? joinFacts(model, before, step, setting) : undefined;
      if (facts && facts.rows > MOST_TRIED) {
        const message = `step ${i + 1} of ${table.name}: the join would make ${counted(facts.rows, 'row')}, which are not tried here: aggregate one side first`;
        return { states, fault: { place: i + 1, message, join: facts } };
      }
      const asked = before && verb === 'lookup' ? argumentOf(step, 'lookup') : undefined;
      const state = stateAfter(table, steps, i, before, setting, kept);
      quantities = quantitiesAfter(model, table, step, state, quantities);
      states.push({
        place: i + 1,
        verb: verb!,
        rows: state.rowCount,
        columns: [...state.columns.values()].map((c) => ({ name: c.name, type: formatType(c.type) })),
        totals: totalsOf(state, quantities),
        ...(facts ? { join: facts } : {}),
        ...(asked ? { lookup: lookupFacts(before!, setting.table(asked.table), asked) } : {}),
      });
      before = state;
    } catch (error) {
      if (error instanceof DataError) return { states, fault: { place: i + 1, message: error.message } };
      throw error;
    }
  }
  return { states };
}

/** The rows after the step at a place, from 1. Throws DataError. */
export function rowsAfter(
  table: Table,
  steps: readonly Step[],
  place: number,
  setting: StepSetting,
  kept?: KeptStates,
): TableData {
  if (place < 1 || place > steps.length)
    throw new DataError(`${table.name} has no step ${place}: there are ${steps.length}`);
  let state: TableData | undefined;
  for (let i = 0; i < place; i++) state = stateAfter(table, steps, i, state, setting, kept);
  return state!;
}

function stateAfter(
  table: Table,
  steps: readonly Step[],
  i: number,
  before: TableData | undefined,
  setting: StepSetting,
  kept: KeptStates | undefined,
): TableData {
  const key = JSON.stringify(steps.slice(0, i + 1));
  const known = kept?.get(key);
  if (known) return known;
  const state =
    i === 0 ? firstState(table, steps[0], setting) : runStep(table.name, i + 1, steps[i]!, before!, setting);
  kept?.set(key, state);
  return state;
}

/** What the join meets; undefined where the step is not even said as it must be. */
function joinFacts(model: Model, input: TableData, step: Step, setting: StepSetting): JoinFacts | undefined {
  const join = argumentOf(step, 'join');
  if (!join) return undefined;
  const { table, kind, on, columns } = join;
  const other = setting.table(table);
  const match = matchJoin(input, other, on);
  const brought = columns?.map((c) => (typeof c === 'string' ? c : c.column));
  const theirs = model.tables.find((t) => sameName(t.name, table));
  const repeatable = (theirs?.columns ?? [])
    .filter(
      (c) =>
        c.use === 'quantity' &&
        other.columns.has(c.name.toLowerCase()) &&
        (!brought || brought.some((name) => sameName(name, c.name))),
    )
    .map((c) => c.name);
  return {
    table,
    ownRows: input.rowCount,
    theirRows: other.rowCount,
    rows: keptRows(match)[kind],
    ownLone: match.ownLone,
    theirLone: match.theirLone,
    keeps: keptRows(match),
    findings: joinFindings(match, { input, other, on, kind, quantities: repeatable }),
  };
}

/**
 * Columns of a state that are summed: quantities of the tables that went in, of the table itself, and what
 * aggregates made.
 */
function quantitiesAfter(
  model: Model,
  table: Table,
  step: Step,
  state: TableData,
  before: ReadonlySet<string>,
): ReadonlySet<string> {
  const read = readStep(step);
  const own = table.columns.filter((c) => c.use === 'quantity').map((c) => c.sourceName ?? c.name);
  const more = read?.kind.quantities?.(read.argument, before, readTables(model)) ?? [];
  const found = new Set([...before, ...[...own, ...more].map((name) => name.toLowerCase())]);
  return new Set([...found].filter((name) => state.columns.has(name)));
}

function totalsOf(state: TableData, quantities: ReadonlySet<string>): StepState['totals'] {
  return [...state.columns.values()]
    .filter((c) => quantities.has(c.name.toLowerCase()) && isNumeric(c.type))
    .map((c) => ({ column: c.name, total: totalOf(c) }));
}

/** The sum of a column's values, exact where they are; null where there is none. */
function totalOf(column: Column): Json {
  const values = columnValues(column);
  const { counts } = column;
  let [sum, any]: [Exact, boolean] = [0, false];
  for (let code = 1; code < counts.length; code++) {
    if (counts[code] === 0) continue;
    any = true;
    const value = values[code] as Exact;
    sum = isExact(column.type)
      ? add(sum, multiply(value, counts[code]!))
      : (sum as number) + (value as number) * counts[code]!;
  }
  if (!any) return null;
  return isExact(column.type)
    ? toJson(rescale(sum, scaleOf(column.type), scaleOf(column.type)), column.type)
    : toJson(sum, column.type);
}

/**
 * Keeps the last states of one model revision's steps, so that a change of a step runs only those behind it.
 */
export function stateKeeper(most = 24): KeptStates {
  const states = new Map<string, TableData>();
  return {
    get: (key) => states.get(key),
    set: (key, state) => {
      if (states.size >= most) states.delete(states.keys().next().value!);
      states.set(key, state);
    },
  };
}
