import type { FormulaState } from '@crease/contract';
import { layOutFormula, placeOf } from '@crease/core/formula';
import { formatType } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Checks the formula of a measure, and tells what it uses and what reaches it. */
export const formula = task(
  (
    input: { formula: string; name?: string | undefined; via?: string | undefined } & ModelVersion,
  ): FormulaState => {
    const data = dataOf(input);
    const checked = data.checker.measureFormula(input.formula, input.name, input.via);
    const via = input.via === undefined ? [] : [input.via.toLowerCase()];
    const bases = checked.typed ? [...data.checker.basesOf(checked.typed)] : [];
    const reaches = (table: string) =>
      bases.every((base) => {
        const route = data.checker.reach.route(base, table, via);
        return route !== undefined && route.kind !== 'ambiguous';
      });
    const resting = checked.restsOn.map((name) => ({
      start: 0,
      end: input.formula.length,
      message: `it rests on "${name}", which is broken`,
    }));
    return {
      faults: [
        ...checked.faults.map((f) => ({ ...f, ...placeOf(input.formula, f.start) })),
        ...(checked.faults.length === 0 ? resting : []),
      ],
      type: checked.typed ? (checked.typed.type ? formatType(checked.typed.type) : 'null') : null,
      laidOut: layOutFormula(input.formula),
      measures: [...checked.measures],
      columns: checked.columns.map((c) => `${c.table}.${c.column}`),
      bases: bases.map((b) => data.modelTable(b).name),
      reachedBy:
        bases.length === 0
          ? []
          : data.model.tables.filter((t) => t.role === 'dimension' && reaches(t.name)).map((t) => t.name),
    };
  },
);
