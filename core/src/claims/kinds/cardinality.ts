import type { Relationship } from '../../model/index.ts';
import { cardinalityOf, endText } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged } from '../claim.ts';
import type { Count } from '../counts/index.ts';
import { askCount, askCounts } from '../judging.ts';
import { wholeRelationships } from './common.ts';
import { number } from './words.ts';

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

/** Ends whose values stand once, by the cardinality that is declared. */
const uniqueEnds = (r: Relationship): Relationship['to'][] => {
  const kind = cardinalityOf(r);
  return kind === 'many-to-one' ? [r.to] : kind === 'one-to-one' ? [r.from, r.to] : [];
};

export const cardinality: ClaimKind = {
  kind: 'cardinality',
  weight: 'blocks',
  subject: 'relationship',
  documentation: 'The data contradict the declared cardinality.',
  example:
    '`cardinality:loan_branch`: each `loan.branch_id` finds at most one row of `branch`; a branch that is listed twice breaks it.',
  list: (context) =>
    wholeRelationships(context).map((r) => {
      const counts = uniqueEnds(r).map((end): Count => ({
        count: 'repeated',
        table: end.table,
        columns: end.columns,
      }));
      return claimOf(cardinality, r.name, says(r), {
        ref: { relationship: r.name },
        about: [{ relationship: r.name }],
        tables: [r.from.table, r.to.table],
        columns: [...endColumns(r.from), ...endColumns(r.to)],
        parts: r,
        counts,
        // Where no end has to be unique, nothing in the data speaks against it.
        judging: function* () {
          return judged(
            counts.length > 0
              ? yield* askCounts(counts)
              : yield* askCount({ count: 'rows', table: r.from.table }),
          );
        },
        found: (e) =>
          `${number(e.against)} rows share their value with another row where each value should occur once`,
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
      });
    }),
};
