import type { FormulaUses } from '@crease/contract';
import type { CheckedFormula } from '@crease/core/formula';
import { columnPath, FormulaChecker } from '@crease/core/formula';
import { readModel, withFamilies } from '@crease/core/model';
import { formatType, parseType, TEXT } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';

const usesOf = (name: string, checked: CheckedFormula): FormulaUses => ({
  name,
  type: checked.typed ? (checked.typed.type ? formatType(checked.typed.type) : 'null') : null,
  measures: [...checked.measures],
  columns: checked.columns.map((c) => columnPath(c.table, c.column)),
});

/** What the formulas of a model use, by their checked trees; no rows are read. */
export const formulaUses = task((input: ModelVersion) => {
  const model = withFamilies(readModel(input.document));
  const checker = new FormulaChecker(model);
  return {
    measures: (model.measures ?? []).map((m) => usesOf(m.name, checker.measure(m.name)!)),
    columns: model.tables.flatMap((t) =>
      t.columns.flatMap((c) =>
        c.formula === undefined
          ? []
          : [
              usesOf(
                columnPath(t.name, c.name),
                checker.column(t, c.name, c.formula, parseType(c.type) ?? TEXT),
              ),
            ],
      ),
    ),
  };
});
