import { isNumeric } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';
import { columnOf } from '../columns/index.ts';
import { quoteName } from '../formula/index.ts';
import type { Model, ModelColumn, Step, Table } from '../model/index.ts';
import { argumentOf, freeName, sameName } from '../model/index.ts';
import { formatType } from '../values/index.ts';
import type { JoinFinding } from './joinFindings.ts';
import { keptRows, matchJoin } from './joinMatch.ts';
import { runSteps } from './run.ts';
import type { StepSetting } from './step.ts';

/** A way out of what a join does: other steps, and staging tables that they need. */
export interface JoinRemedy {
  readonly id: 'keep-rows' | 'aggregate-theirs' | 'distinct-theirs' | 'aggregate-own';
  readonly says: string;
  /** All steps of the derived table. */
  readonly steps: readonly Step[];
  readonly tables: readonly Table[];
  /** Rows after the join with it. */
  readonly rows: number;
}

/** A setting in which the staging tables of a remedy are there. */
export function withStaging(setting: StepSetting, tables: readonly Table[]): StepSetting {
  const made = new Map<string, TableData>();
  return {
    ...setting,
    table: (name) => {
      const staging = tables.find((t) => sameName(t.name, name));
      if (!staging) return setting.table(name);
      let rows = made.get(staging.name);
      if (!rows)
        made.set(
          staging.name,
          (rows = runSteps(staging, (staging.source as { steps: Step[] }).steps, setting).at(-1)!),
        );
      return rows;
    },
  };
}

/**
 * Remedies for the findings of the join at a place (from 1), each tried on the rows. `input` are the rows
 * before it.
 */
export function joinRemedies(
  model: Model,
  input: TableData,
  steps: readonly Step[],
  place: number,
  findings: readonly JoinFinding[],
  setting: StepSetting,
): JoinRemedy[] {
  const step = steps[place - 1]!;
  const join = argumentOf(step, 'join')!;
  const other = setting.table(join.table);
  const has = (kind: JoinFinding['kind']) => findings.some((f) => f.kind === kind);
  const withStep = (...instead: Step[]) => [...steps.slice(0, place - 1), ...instead, ...steps.slice(place)];
  const found: JoinRemedy[] = [];
  if (has('loses')) {
    const rows = keptRows(matchJoin(input, other, join.on)).left;
    found.push({
      id: 'keep-rows',
      says: 'keep the rows without a partner: a left join',
      steps: withStep({ join: { ...join, kind: 'left' } }),
      tables: [],
      rows,
    });
  }
  if (has('multiplies')) {
    const keys = join.on.map(([, theirs]) => columnOf(other, theirs).name);
    const wanted = (join.columns ?? [...other.columns.values()].map((c) => c.name)).map((c) =>
      typeof c === 'string' ? c : c.column,
    );
    const brought = wanted
      .filter((name) => !keys.some((key) => sameName(key, name)))
      .map((name) => columnOf(other, name).name);
    const ways = [
      {
        id: 'distinct-theirs' as const,
        steps: distinctSteps(join.table, [...keys, ...brought]),
        says: `use each row of ${join.table} once`,
      },
      {
        id: 'aggregate-theirs' as const,
        steps: aggregateSteps(join.table, other, keys, brought, model),
        says: `aggregate ${join.table} to one row per ${keys.join(', ')} first`,
      },
    ];
    for (const way of ways) {
      const name = freeName(`${join.table}_per_${keys.at(-1)!}`, model.tables);
      const draft: Table = { name, role: 'staging', columns: [] };
      const rows = runSteps(draft, way.steps, setting).at(-1)!;
      const match = matchJoin(input, rows, join.on);
      // Only what ends the repetition is a remedy.
      if (keptRows(match).left > input.rowCount) continue;
      const columns = [...rows.columns.values()].map((c): ModelColumn => ({
        name: c.name,
        type: formatType(c.type),
      }));
      found.push({
        id: way.id,
        says: `${way.says}, as a staging table ${name}`,
        steps: withStep({ join: { ...join, table: name } }),
        tables: [{ ...draft, source: { steps: way.steps as never }, columns }],
        rows: keptRows(match)[join.kind],
      });
    }
  }
  if (has('repeats')) {
    const keys = join.on.map(([own]) => columnOf(input, own).name);
    const aggregate = ownAggregate(input, keys, quantitiesOf(model, input));
    const draft: Table = { name: 'draft', role: 'staging', columns: [] };
    const rows = runSteps(draft, [{ from: 'draft' }, aggregate], { ...setting, table: () => input }).at(-1)!;
    const match = matchJoin(rows, other, join.on);
    found.push({
      id: 'aggregate-own',
      says: `aggregate the rows here to one per ${keys.join(', ')} first: other columns go`,
      steps: withStep(aggregate, step),
      tables: [],
      rows: keptRows(match)[join.kind],
    });
  }
  return found;
}

const distinctSteps = (table: string, columns: readonly string[]): Step[] => [
  { from: table },
  { pick: [...columns] },
  { distinct: true },
];

/**
 * Quantities are summed, of anything else the largest is taken: it stands for a value that is the same in all
 * rows of a key.
 */
function aggregateSteps(
  table: string,
  other: TableData,
  keys: readonly string[],
  brought: readonly string[],
  model: Model,
): Step[] {
  const declared = model.tables.find((t) => sameName(t.name, table))?.columns ?? [];
  const columns = Object.fromEntries(
    brought.map((name) => {
      const isQuantity =
        isNumeric(columnOf(other, name).type) &&
        declared.some((c) => sameName(c.name, name) && c.use === 'quantity' && c.aggregate !== 'none');
      return [name, `${isQuantity ? 'sum' : 'max'}(${quoteName(name)})`];
    }),
  );
  return [{ from: table }, { aggregate: { by: [...keys], columns } }];
}

function ownAggregate(input: TableData, keys: readonly string[], quantities: readonly string[]): Step {
  const columns = Object.fromEntries(
    quantities
      .filter((name) => !keys.some((key) => sameName(key, name)))
      .map((name) => [name, `sum(${quoteName(name)})`]),
  );
  return {
    aggregate: {
      by: [...keys],
      columns: Object.keys(columns).length > 0 ? columns : { rows: `count(${quoteName(input.name)})` },
    },
  };
}

/** Numeric columns that some table of the model declares a quantity. */
const quantitiesOf = (model: Model, input: TableData): string[] =>
  [...input.columns.values()]
    .filter(
      (c) =>
        isNumeric(c.type) &&
        model.tables.some((t) => t.columns.some((d) => d.use === 'quantity' && sameName(d.name, c.name))),
    )
    .map((c) => c.name);
