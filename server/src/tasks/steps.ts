import type { RowPage, StepsState } from '@crease/contract';
import type { Step, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import type { KeptStates, StepSetting } from '@crease/core/shape';
import { joinRemedies, rowsAfter, stateKeeper, traceSteps, withStaging } from '@crease/core/shape';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';
import { pageOf } from './modelRows.ts';

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
export const steps = task((input: { table: string; steps: readonly Step[] } & ModelVersion) =>
  onRows(input, (data) => stepsOn(data, input)),
);

function stepsOn(
  data: ModelData,
  input: { readonly table: string; readonly steps: readonly Step[] },
): StepsState {
  const table = tableOf(data, input.table);
  const { of, kept } = setting(data);
  const trace = traceSteps(data.model, table, input.steps, of, kept);
  const joins = [...trace.states, ...(trace.fault ? [trace.fault] : [])];
  const remedies = joins.flatMap(({ place, join }) => {
    if (!join || join.findings.length === 0) return [];
    const before = rowsAfter(table, input.steps, place - 1, of, kept);
    const found = joinRemedies(data.model, before, input.steps, place, join.findings, of).flatMap(
      (remedy) => {
        const model = { ...data.model, tables: [...data.model.tables, ...remedy.tables] };
        const { states, fault } = traceSteps(model, table, remedy.steps, withStaging(of, remedy.tables));
        // A way out that a later step cannot go along with is none: what the table would have is not known.
        return fault ? [] : [{ ...remedy, after: states.at(-1)! }];
      },
    );
    return [{ place, remedies: found }];
  });
  return { ...trace, remedies };
}

interface Page {
  readonly table: string;
  readonly steps: readonly Step[];
  /** Of the step, from 1. */
  readonly place: number;
  readonly offset: number;
  readonly count: number;
}

/** A page of the rows after a step. */
export const stepRows = task((input: Page & ModelVersion) =>
  onRows(input, (data): RowPage => {
    const { of, kept } = setting(data);
    const state = rowsAfter(tableOf(data, input.table), input.steps, input.place, of, kept);
    return pageOf([...state.columns.values()], state.rowCount, input.offset, input.count);
  }),
);
