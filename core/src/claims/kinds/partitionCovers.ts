import type { ClaimKind } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { ofTable } from './common.ts';
import { rowsText, verb } from './words.ts';

export const partitionCovers: ClaimKind = {
  kind: 'partition-covers',
  weight: 'blocks',
  subject: 'table',
  documentation: 'A row falls into no partition.',
  example:
    '`partition-covers:loan`: every row of `loan` falls into a year of `loan_date`; a loan without a date breaks it.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.partition && checker.names.column(t, t.partition.by))
      .map((t) => {
        const { by, every } = t.partition!;
        const read = ofTable(t.name, [by, ...(t.key ?? [])]);
        return claimOf(
          partitionCovers,
          t.name,
          `every row of ${t.name} falls into ${every === 'value' ? 'a part by its' : `a ${every} of`} ${by}`,
          {
            ref: { table: t.name },
            about: [{ table: t.name, column: by }],
            tables: [t.name],
            columns: read,
            parts: [by, every, t.key],
            counts: [{ count: 'nulls', table: t.name, columns: ofTable(t.name, [by]), shown: read }],
            found: (e) => `${rowsText(e)} of ${t.name} ${verb(e, 'has', 'have')} no ${by}`,
          },
        );
      }),
};
