import { moreSteps } from '../../edit/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { ModelColumn, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind, Found } from './site.ts';

/**
 * A column by formula that others use, worked out once by a load in place of at each first question: the
 * reverse of `derive`. It makes the model heavier, and says by how much; formulas that look beyond their own
 * row cannot be worked out by a load, and are left as they are.
 */
export const store: FoldKind<'store'> = {
  does: 'store',
  find: ({ data, table, declared, uses }) => {
    const stored = table.columns.filter((c) => c.formula === undefined);
    // By table, at the first column of it.
    if (stored[0] !== declared) return [];
    return table.columns.flatMap((c): Found[] => {
      const usedBy = uses.get(columnPath(table.name, c.name).toLowerCase()) ?? [];
      if (c.formula === undefined || usedBy.length === 0) return [];
      const { faults, columns } = data.checker.rowFormula(table, c.formula);
      if (faults.length > 0 || columns.some((n) => !sameName(n.table, table.name))) return [];
      const fold = { do: 'store' as const, table: table.name, column: c.name };
      if (!store.edit(data.model, fold)) return [];
      return [
        {
          fold,
          change: 'work it out once, by the load, and store it',
          reason: 'it is used, and worked out anew after each load or restart; stored, it is read',
          beforeBytes: 0,
          afterBytes: totalBytes(data.column(table.name, c.name)),
        },
      ];
    });
  },
  edit: (model, { table: name, column: of }) => {
    const table = model.tables.find((t) => sameName(t.name, name));
    const column = table?.columns.find((c) => sameName(c.name, of));
    if (!table || column?.formula === undefined) return undefined;
    const step = { derive: { name: column.name, formula: column.formula } };
    return moreSteps(model, table, [step], storedOf(table, column));
  },
};

/** The columns of the table, with this one as others that are stored. */
const storedOf = (table: Table, { formula: _, ...plain }: ModelColumn): readonly ModelColumn[] =>
  table.columns.map((c) => (sameName(c.name, plain.name) ? plain : c));
