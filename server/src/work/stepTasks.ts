import type { StepsState } from '@crease/contract';
import { columnValues } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import type { KeptStates, StepSetting } from '@crease/core/shape';
import { joinRemedies, rowsAfter, stateKeeper, traceSteps, withStaging } from '@crease/core/shape';
import { formatType, toJson } from '@crease/core/values';
import type { Task } from './tasks.ts';

const keepers = new WeakMap<ModelData, KeptStates>();

function setting(data: ModelData): { of: StepSetting; kept: KeptStates } {
  let kept = keepers.get(data);
  if (!kept) keepers.set(data, (kept = stateKeeper()));
  const table = (name: string) => {
    if (name === '') throw new DataError('choose a table');
    return data.table(name);
  };
  return { of: { table, today: data.today }, kept };
}

/** A derived table of the model, or one that is only tried. */
const tableOf = (data: ModelData, name: string): Table =>
  data.model.tables.find((t) => sameName(t.name, name)) ?? { name, role: 'staging', columns: [] };

/** What stands after each of the steps that are tried. */
export function traced(task: Extract<Task, { kind: 'steps' }>, data: ModelData): StepsState {
  const table = tableOf(data, task.table);
  const { of, kept } = setting(data);
  const trace = traceSteps(data.model, table, task.steps, of, kept);
  const joins = [...trace.states, ...(trace.fault ? [trace.fault] : [])];
  const remedies = joins.flatMap(({ place, join }) => {
    if (!join || join.findings.length === 0) return [];
    const input = rowsAfter(table, task.steps, place - 1, of, kept);
    const found = joinRemedies(data.model, input, task.steps, place, join.findings, of).flatMap((remedy) => {
      const model = { ...data.model, tables: [...data.model.tables, ...remedy.tables] };
      const { states, fault } = traceSteps(model, table, remedy.steps, withStaging(of, remedy.tables));
      // A way out that a later step cannot go along with is none: what the table would have is not known.
      return fault ? [] : [{ ...remedy, after: states.at(-1)! }];
    });
    return [{ place, remedies: found }];
  });
  return { ...trace, remedies };
}

/** A page of the rows after a step. */
export function tracedRows(task: Extract<Task, { kind: 'step-rows' }>, data: ModelData) {
  const { of, kept } = setting(data);
  const state = rowsAfter(tableOf(data, task.table), task.steps, task.place, of, kept);
  const columns = [...state.columns.values()];
  const end = Math.min(state.rowCount, task.offset + task.count);
  return {
    columns: columns.map((c) => ({ name: c.name, type: formatType(c.type) })),
    rows: Array.from({ length: Math.max(0, end - task.offset) }, (_, i) =>
      columns.map((c) => toJson(columnValues(c)[c.codes[task.offset + i]!]!, c.type)),
    ),
    total: state.rowCount,
  };
}
