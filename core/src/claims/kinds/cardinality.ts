import type { Column } from '../../columns/index.ts';
import type { Relationship } from '../../model/index.ts';
import { cardinalityOf, endText } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import type { ClaimKind, Evidence } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged } from '../claim.ts';
import { repeatedRows } from '../../columns/index.ts';
import { evidenceOf, offendingCodes, repeatedCodes } from '../offenders.ts';
import { wholeRelationships } from './common.ts';

const says = (r: Relationship): string => {
  switch (cardinalityOf(r)) {
    case 'many-to-one':
      return `each ${endText(r.from)} finds at most one row of ${r.to.table}`;
    case 'one-to-one':
      return `${endText(r.from)} and ${endText(r.to)} are unique on both sides`;
    case 'many-to-many':
      return `${r.name} relates many rows to many`;
    case 'many-to-level':
      return `${endText(r.to)} is a level of ${r.to.table}, whose members have several rows`;
  }
};

export const cardinality: ClaimKind = {
  kind: 'cardinality',
  weight: 'blocks',
  documentation: 'The data contradict the declared cardinality.',
  list: (context) =>
    wholeRelationships(context).map((r) =>
      claimOf(cardinality, r.name, says(r), {
        about: [{ relationship: r.name }],
        tables: [r.from.table, r.to.table],
        columns: [...endColumns(r.from), ...endColumns(r.to)],
        parts: r,
        judge: (data) => {
          const kind = cardinalityOf(r);
          const ends = kind === 'many-to-one' ? [r.to] : kind === 'one-to-one' ? [r.from, r.to] : [];
          const all = ends.map((end) => repeatedOf(data, end));
          const worst = all.sort((a, b) => b.against - a.against)[0];
          return judged(
            worst
              ? {
                  ...worst,
                  checked: all.reduce((n, e) => n + e.checked, 0),
                  against: all.reduce((n, e) => n + e.against, 0),
                }
              : { checked: data.rowCount(r.from.table), against: 0 },
          );
        },
        remedies: () => [
          {
            id: 'declare-many-to-many',
            title: 'Declare many-to-many',
            effect: `A filter on ${r.to.table} keeps the rows of ${r.from.table} whose value is among the remaining ones; columns of ${r.to.table} can no longer be looked up from ${r.from.table}.`,
            edit: [{ do: 'set-relationship', name: r.name, change: { cardinality: 'many-to-many' } }],
          },
          {
            id: 'declare-many-to-level',
            title: `Declare that it refers to a level of ${r.to.table}`,
            effect: `Only columns of ${r.to.table} with one value within each ${endText(r.to)} reach ${r.from.table}.`,
            edit: [{ do: 'set-relationship', name: r.name, change: { cardinality: 'many-to-level' } }],
          },
        ],
      }),
    ),
};

function repeatedOf(data: ModelData, end: Relationship['from']): Evidence {
  const columns: Column[] = end.columns.map((name) => data.column(end.table, name));
  const table = data.table(end.table);
  // As many values as filled rows: each stands once.
  if (columns.length === 1 && columns[0]!.distinct === columns[0]!.rowCount - columns[0]!.nulls)
    return { checked: table.rowCount, against: 0 };
  if (columns.length === 1)
    return offendingCodes(table, table.rowCount, columns[0]!, repeatedCodes(columns[0]!));
  return evidenceOf(table, table.rowCount, columns, repeatedRows(columns, table.rowCount));
}
