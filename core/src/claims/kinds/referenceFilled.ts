import { endText } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged } from '../claim.ts';
import { hasNull, offendingCodes, offendingRows } from '../offenders.ts';
import { wholeRelationships } from './common.ts';

export const referenceFilled: ClaimKind = {
  kind: 'reference-filled',
  weight: 'warns',
  documentation: 'A foreign key is null.',
  list: (context) =>
    wholeRelationships(context).map((r) =>
      claimOf(referenceFilled, r.name, `every row of ${r.from.table} has its ${endText(r.from)}`, {
        about: [
          { relationship: r.name },
          { table: r.from.table },
          ...r.from.columns.map((column) => ({ table: r.from.table, column })),
        ],
        tables: [r.from.table],
        columns: endColumns(r.from),
        parts: r.from,
        judge: (data) => {
          const table = data.table(r.from.table);
          const columns = r.from.columns.map((name) => data.column(r.from.table, name));
          return judged(
            columns.every((c) => c.nulls === 0)
              ? { checked: table.rowCount, against: 0 }
              : columns.length === 1
                ? offendingCodes(table, table.rowCount, columns[0]!, [1])
                : offendingRows(table, table.rowCount, columns, (row) => hasNull(columns, row)),
          );
        },
      }),
    ),
};
