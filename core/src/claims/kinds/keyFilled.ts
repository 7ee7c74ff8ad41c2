import type { ClaimKind } from '../claim.ts';
import { keylessRemedies } from '../remedies/keys.ts';
import { claimOf, judged } from '../claim.ts';
import { hasNull, offendingCodes, offendingRows } from '../offenders.ts';
import { ofTable } from './common.ts';

export const keyFilled: ClaimKind = {
  kind: 'key-filled',
  weight: 'blocks',
  documentation: 'A key column is null.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.key?.length && t.key.every((name) => checker.names.column(t, name)))
      .map((t) =>
        claimOf(keyFilled, t.name, `every row of ${t.name} has its ${t.key!.join(', ')}`, {
          about: [{ table: t.name }, ...t.key!.map((column) => ({ table: t.name, column }))],
          tables: [t.name],
          columns: ofTable(t.name, t.key!),
          parts: t.key,
          judge: (data) => {
            const table = data.table(t.name);
            const key = t.key!.map((name) => data.column(t.name, name));
            return judged(
              key.every((c) => c.nulls === 0)
                ? { checked: table.rowCount, against: 0 }
                : key.length === 1
                  ? offendingCodes(table, table.rowCount, key[0]!, [1])
                  : offendingRows(table, table.rowCount, key, (row) => hasNull(key, row)),
            );
          },
          remedies: () => keylessRemedies(model, t),
        }),
      ),
};
