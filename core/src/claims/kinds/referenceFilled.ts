import { endText } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf } from '../claim.ts';
import { wholeRelationships } from './common.ts';
import { rowsText, verb } from './words.ts';

export const referenceFilled: ClaimKind = {
  kind: 'reference-filled',
  weight: 'warns',
  subject: 'relationship',
  documentation: 'A foreign key is null.',
  example:
    '`reference-filled:loan_card`: every row of `loan` has its `card_id`; a loan without one breaks it.',
  list: (context) =>
    wholeRelationships(context).map((r) =>
      claimOf(referenceFilled, r.name, `every row of ${r.from.table} has its ${endText(r.from)}`, {
        ref: { relationship: r.name },
        about: [
          { relationship: r.name },
          { table: r.from.table },
          ...r.from.columns.map((column) => ({ table: r.from.table, column })),
        ],
        tables: [r.from.table],
        columns: endColumns(r.from),
        parts: r.from,
        counts: [
          { count: 'nulls', table: r.from.table, columns: endColumns(r.from), shown: endColumns(r.from) },
        ],
        found: (e) =>
          `${rowsText(e)} of ${r.from.table} ${verb(e, 'has', 'have')} no ${r.from.columns.join(', ')}`,
      }),
    ),
};
