import type { ClaimKind } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { offendingRows } from '../offenders.ts';
import { ofTable } from './common.ts';

export const partitionCovers: ClaimKind = {
  kind: 'partition-covers',
  weight: 'blocks',
  documentation: 'A row falls into no partition.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.partition && checker.names.column(t, t.partition.by))
      .map((t) =>
        claimOf(
          partitionCovers,
          t.name,
          `every row of ${t.name} falls into a ${t.partition!.every} of ${t.partition!.by}`,
          {
            about: [{ table: t.name, column: t.partition!.by }],
            tables: [t.name],
            columns: ofTable(t.name, [t.partition!.by, ...(t.key ?? [])]),
            parts: [t.partition, t.key],
            judge: (data) => {
              const column = data.column(t.name, t.partition!.by);
              if (column.nulls === 0) return judged({ checked: column.rowCount, against: 0 });
              const key = (t.key ?? []).map((name) => data.column(t.name, name));
              return judged(
                offendingRows(
                  data.table(t.name),
                  column.rowCount,
                  [column, ...key],
                  (row) => column.codes[row] === 0,
                ),
              );
            },
          },
        ),
      ),
};
