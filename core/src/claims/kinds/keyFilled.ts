import type { ClaimKind } from '../claim.ts';
import { keylessRemedies } from '../remedies/keys.ts';
import { claimOf } from '../claim.ts';
import { ofTable } from './common.ts';
import { rowsText, verb } from './words.ts';

export const keyFilled: ClaimKind = {
  kind: 'key-filled',
  weight: 'blocks',
  subject: 'table',
  documentation: 'A key column is null.',
  example: '`key-filled:branch`: every row of `branch` has its `branch_id`; a row without one breaks it.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.key?.length && t.key.every((name) => checker.names.column(t, name)))
      .map((t) =>
        claimOf(keyFilled, t.name, `every row of ${t.name} has its ${t.key!.join(', ')}`, {
          ref: { table: t.name },
          about: [{ table: t.name }, ...t.key!.map((column) => ({ table: t.name, column }))],
          tables: [t.name],
          columns: ofTable(t.name, t.key!),
          parts: t.key,
          counts: [
            {
              count: 'nulls',
              table: t.name,
              columns: ofTable(t.name, t.key!),
              shown: ofTable(t.name, t.key!),
            },
          ],
          found: (e) => `${rowsText(e)} of ${t.name} ${verb(e, 'has', 'have')} no ${t.key!.join(', ')}`,
          remedies: () => keylessRemedies(model, t),
        }),
      ),
};
