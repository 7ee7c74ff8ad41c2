import type { ClaimKind } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { offendingRows } from '../offenders.ts';
import { definitions } from './common.ts';

export const partitionCovers: ClaimKind = {
  kind: 'partition-covers',
  weight: 'blocks',
  documentation: 'A row falls into no partition.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.partition && checker.names.column(t, t.partition.by))
      .map((t) =>
        claimOf(partitionCovers, t.name, `every row of ${t.name} falls into a ${t.partition!.every} of ${t.partition!.by}`, {
          about: [{ table: t.name, column: t.partition!.by }],
          tables: [t.name],
          parts: [definitions(model, [t.name]), t.partition],
          judge: (data) => {
            const column = data.column(t.name, t.partition!.by);
            const key = (t.key ?? []).map((name) => data.column(t.name, name));
            return judged(offendingRows(data.table(t.name), column.rowCount, [column, ...key], (row) => column.codes[row] === 0));
          },
        }),
      ),
};
