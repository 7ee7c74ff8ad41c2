import { isExact, scaleOf } from '../values/index.ts';
import type { DataType, Value } from '../values/index.ts';
import type { Goal } from '../model/index.ts';
import type { AskedMeasure } from './asked.ts';
import { askedMeasure } from './asked.ts';
import { cellsOf, singleCell } from './cells.ts';
import type { Cells } from './cells.ts';
import type { Context } from './context.ts';
import type { Worked, WorkedRow } from './workedRows.ts';
import { valuesOf } from './workedRows.ts';

/** A measure with a goal: what its cells should come to, and how many states there are. */
export interface GoalColumn {
  /** The measure that is the goal, or a number as text. */
  readonly goal: string;
  readonly states: number;
}

/**
 * The state of each cell of the measures that have a goal: 0 is the worst, one less than their number the
 * best; null where there is no value or no goal.
 */
export interface GoalStates {
  /** By measure; null for one without a goal. */
  readonly columns: readonly (GoalColumn | null)[];
  /** By row and measure. */
  readonly rows: readonly (readonly (number | null)[])[];
  readonly totals: readonly (number | null)[];
}

const DEFAULT_BANDS = [1];

/**
 * The state of a value: how many bands it has come over (or stays under, where less is better). A band is a
 * share of the goal, taken from its size, so that a goal below zero works the same.
 */
export function goalState(
  { bands = DEFAULT_BANDS, good = 'high' }: Goal,
  value: number,
  target: number,
): number {
  const reached = bands.filter((band) => {
    const threshold = target + (band - 1) * Math.abs(target);
    return good === 'high' ? value >= threshold : value <= threshold;
  });
  return reached.length;
}

const asNumber = (value: Value, type: DataType | null): number | null => {
  if (value === null || !type) return null;
  const number = Number(value);
  return isExact(type) ? number / 10 ** scaleOf(type) : number;
};

/** What the goals of measures are called, and how many states there are. */
export const goalColumns = (goals: readonly (Goal | undefined)[]): (GoalColumn | null)[] =>
  goals.map((goal) =>
    goal
      ? { goal: goal.measure ?? String(goal.value), states: (goal.bands ?? DEFAULT_BANDS).length + 1 }
      : null,
  );

/** The state of a number; `target` is the value of the measure that is its goal. Null without either. */
export function stateOfNumber(
  goal: Goal | undefined,
  own: number | null,
  target: number | null,
): number | null {
  const other = goal?.value ?? target;
  return !goal || own === null || other === null ? null : goalState(goal, own, other);
}

/** States of the cells of an answer; undefined where no measure that is asked for has a goal. */
export function goalStates(worked: Worked): GoalStates | undefined {
  const { data, measures, rows } = worked;
  const goals = measures.map((m) => data.checker.names.measure(m.name)?.goal);
  if (!goals.some((goal) => goal)) return undefined;
  const targets = goals.map((goal) => {
    const isSound = goal?.measure !== undefined && data.checker.measure(goal.measure)?.typed;
    return isSound ? askedMeasure(data, goal.measure!) : undefined;
  });
  const stateOf = (i: number, value: Value, target: Value): number | null =>
    stateOfNumber(goals[i], asNumber(value, measures[i]!.type), asNumber(target, targets[i]?.type ?? null));
  const byContext = new Map<Context, { cells: Cells; places: number[] }>();
  rows.forEach((row, place) => {
    const part = byContext.get(row.within) ?? { cells: cellsOf(row.within.axes), places: [] };
    byContext.set(row.within, part);
    part.cells.tuples.add((p) => row.codes[p]!);
    part.places.push(place);
  });
  const states: (number | null)[][] = rows.map(() => []);
  for (const [context, { cells, places }] of byContext) {
    const found = targetValues(worked, context, cells, targets);
    places.forEach((place, cell) => {
      const row: WorkedRow = rows[place]!;
      states[place] = measures.map((_, i) => stateOf(i, row.values[i]!, found[i]?.[cell] ?? null));
    });
  }
  const whole: Context = { ...worked.context, axes: [] };
  const own = valuesOf(worked.evaluator, whole, singleCell(), measures);
  const total = targetValues(worked, whole, singleCell(), targets);
  return {
    columns: goalColumns(goals),
    rows: states,
    totals: measures.map((_, i) => stateOf(i, own[i]![0]!, total[i]?.[0] ?? null)),
  };
}

/** Values of the measures that are goals; nothing for a measure without one. */
function targetValues(
  { evaluator }: Worked,
  context: Context,
  cells: Cells,
  targets: readonly (AskedMeasure | undefined)[],
): (Value[] | undefined)[] {
  const asked = targets.filter((t) => t !== undefined);
  const values = valuesOf(evaluator, context, cells, asked);
  return targets.map((t) => (t ? values[asked.indexOf(t)] : undefined));
}
