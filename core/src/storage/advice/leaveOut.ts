import { totalBytes } from '../weight.ts';
import type { FoldKind } from './site.ts';
import { placeOf } from './site.ts';

/** Values of a column of fewer rows each than this are of no use to group by. */
const ROWS_A_VALUE = 10;

/**
 * Columns that nothing in the model uses: of a fact those whose values hardly repeat, since the others may be
 * grouped by, and those that are hidden.
 */
export const leaveOut: FoldKind<'leave-out'> = {
  does: 'leave-out',
  find: ({ table, declared, column, usedBy }) => {
    const hardlyRepeats = column.distinct > column.rowCount / ROWS_A_VALUE;
    if (usedBy.length > 0 || declared.use === 'quantity') return [];
    if (!declared.hidden && !(table.role === 'fact' && hardlyRepeats)) return [];
    return [
      {
        fold: { do: 'leave-out', table: table.name, column: declared.name },
        change: 'leave the column out',
        reason: `no key, relationship, hierarchy, formula, trial or perspective uses it, and ${
          hardlyRepeats ? 'its values hardly repeat' : 'it is hidden'
        }`,
        beforeBytes: totalBytes(column),
        afterBytes: 0,
      },
    ];
  },
  edit: (model, fold) =>
    placeOf(model, fold) && [{ do: 'remove-column', table: fold.table, column: fold.column }],
};
