import { endText } from '../../model/index.ts';
import { orphanRemedies } from '../remedies/orphans.ts';
import type { ClaimKind } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf } from '../claim.ts';
import { wholeRelationships } from './common.ts';
import { rowsText, verb } from './words.ts';

export const referenceComplete: ClaimKind = {
  kind: 'reference-complete',
  weight: 'blocks',
  subject: 'relationship',
  documentation: 'A value of the referring columns has no partner (orphans).',
  example:
    '`reference-complete:loan_branch`: every `loan.branch_id` is a `branch.branch_id`; a loan of branch 99, which is no branch, breaks it.',
  list: (context) =>
    wholeRelationships(context).map((r) =>
      claimOf(referenceComplete, r.name, `every ${endText(r.from)} is a ${endText(r.to)}`, {
        ref: { relationship: r.name },
        about: [
          { relationship: r.name },
          { table: r.from.table },
          ...r.from.columns.map((column) => ({ table: r.from.table, column })),
        ],
        tables: [r.from.table, r.to.table],
        columns: [...endColumns(r.from), ...endColumns(r.to)],
        parts: [r.from, r.to],
        counts: [{ count: 'orphans', table: r.from.table, columns: r.from.columns, of: r.to }],
        found: (e) =>
          `${rowsText(e)} of ${r.from.table} ${verb(e, 'has', 'have')} a ${r.from.columns.join(', ')} without a partner in ${r.to.table}`,
        remedies: (judgement, data) => orphanRemedies(context.model, r, judgement, data),
      }),
    ),
};
