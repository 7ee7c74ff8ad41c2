import { endText } from '../../model/index.ts';
import type { Relationship } from '../../model/index.ts';
import { orphanCodes, relationshipKeys } from '../../relate/index.ts';
import type { ModelData } from '../../query/index.ts';
import { orphanRemedies } from '../remedies/orphans.ts';
import type { ClaimKind, Judgement } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged } from '../claim.ts';
import { offendingCodes, offendingRows } from '../offenders.ts';
import { wholeRelationships } from './common.ts';

export const referenceComplete: ClaimKind = {
  kind: 'reference-complete',
  weight: 'blocks',
  documentation: 'A value of the referring columns has no partner (orphans).',
  list: (context) =>
    wholeRelationships(context).map((r) =>
      claimOf(referenceComplete, r.name, `every ${endText(r.from)} is a ${endText(r.to)}`, {
        about: [
          { relationship: r.name },
          { table: r.from.table },
          ...r.from.columns.map((column) => ({ table: r.from.table, column })),
        ],
        tables: [r.from.table, r.to.table],
        columns: [...endColumns(r.from), ...endColumns(r.to)],
        parts: [r.from, r.to],
        judge: (data) => judgeReferences(data, r),
        remedies: (judgement, data) => orphanRemedies(context.model, r, judgement, data),
      }),
    ),
};

/** Rows whose reference is filled and finds no partner. */
export function judgeReferences(data: ModelData, r: Relationship): Judgement {
  const from = data.table(r.from.table);
  const columns = r.from.columns.map((name) => data.column(r.from.table, name));
  if (columns.length === 1) {
    const orphans = orphanCodes(columns[0]!, data.column(r.to.table, r.to.columns[0]!));
    return judged(offendingCodes(from, columns[0]!.rowCount - columns[0]!.nulls, columns[0]!, orphans));
  }
  const keys = relationshipKeys(r, data.ends(r.from), data.ends(r.to));
  const known = new Uint8Array(keys.size);
  for (const key of keys.to) known[key] = 1;
  let filled = 0;
  for (const key of keys.from) if (key !== 0) filled++;
  return judged(
    offendingRows(from, filled, columns, (row) => keys.from[row] !== 0 && !known[keys.from[row]!]),
  );
}
