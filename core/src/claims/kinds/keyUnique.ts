import type { Column } from '../../columns/index.ts';
import type { ClaimKind } from '../claim.ts';
import { keyRemedies } from '../remedies/keys.ts';
import { claimOf, judged } from '../claim.ts';
import { repeatedRows } from '../../columns/index.ts';
import { evidenceOf, offendingCodes, repeatedCodes } from '../offenders.ts';
import { ofTable } from './common.ts';

export const keyUnique: ClaimKind = {
  kind: 'key-unique',
  weight: 'blocks',
  documentation: 'Two rows have the same key.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.key?.length && t.key.every((name) => checker.names.column(t, name)))
      .map((t) =>
        claimOf(keyUnique, t.name, `no two rows of ${t.name} have the same ${t.key!.join(', ')}`, {
          about: [{ table: t.name }, ...t.key!.map((column) => ({ table: t.name, column }))],
          tables: [t.name],
          columns: ofTable(t.name, t.key!),
          parts: t.key,
          judge: (data) => {
            const table = data.table(t.name);
            const key = t.key!.map((name) => data.column(t.name, name));
            if (key.length === 1) {
              // One column: its histogram has the answer; rows are read only to show them.
              const [column] = key as [Column];
              // As many values as filled rows: no histogram is needed to tell.
              if (column.distinct === column.rowCount - column.nulls)
                return judged({ checked: table.rowCount, against: 0 });
              return judged(offendingCodes(table, table.rowCount, column, repeatedCodes(column)));
            }
            return judged(evidenceOf(table, table.rowCount, key, repeatedRows(key, table.rowCount)));
          },
          remedies: (_, data) => keyRemedies(model, t, data),
        }),
      ),
};
