import type { ColumnFormulaState } from '@crease/contract';

import { layOutFormula, placeOf } from '@crease/core/formula';
import type { ModelData } from '@crease/core/query';
import { rowValues } from '@crease/core/query';
import { formatType, TEXT, toJson } from '@crease/core/values';
import type { Value } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

const SHOWN = 12;
/** Rows for which a formula that is being typed is worked out. */
const LOOKED_AT = 50_000;

/** What a row formula of a table gives, as far as it can be had while one types. */
export const columnFormula = task((input: { table: string; formula: string } & ModelVersion) =>
  onRows(input, (data) => stateOf(data, input)),
);

function stateOf(
  data: ModelData,
  input: { readonly table: string; readonly formula: string },
): ColumnFormulaState {
  const table = data.modelTable(input.table);
  const checked = data.checker.rowFormula(table, input.formula);
  const faults = checked.faults.map((f) => ({ ...f, ...placeOf(input.formula, f.start) }));
  const state = {
    faults,
    type: null,
    laidOut: layOutFormula(input.formula),
    columns: [],
    types: [],
    rows: [],
    looked: 0,
    nulls: 0,
    distinct: 0,
  };
  if (!checked.typed) return state;
  const type = checked.typed.type ?? TEXT;
  const evaluate = rowValues(data, table.name, checked.typed);
  const own = checked.columns.filter((c) => c.table.toLowerCase() === table.name.toLowerCase());
  const used = [...new Set(own.map((c) => c.column))].map((name) => data.column(table.name, name));
  const looked = Math.min(LOOKED_AT, data.rowCount(table.name));
  const values: Value[] = Array.from({ length: looked }, (_, row) => evaluate(row));
  const first = values.slice(0, SHOWN);
  const shown = used.map((c) => c.valuesAt([...first.keys()]));
  return {
    ...state,
    type: formatType(type),
    columns: used.map((c) => c.name),
    types: used.map((c) => formatType(c.type)),
    rows: first.map((value, row) => ({
      used: shown.map((column, k) => toJson(column[row]!, used[k]!.type)),
      gives: toJson(value, type),
    })),
    looked,
    nulls: values.filter((v) => v === null).length,
    distinct: new Set(values.filter((v) => v !== null)).size,
  };
}
