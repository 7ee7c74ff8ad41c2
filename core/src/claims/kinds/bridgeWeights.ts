import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { ofTable } from './common.ts';
import { counted, rowsText } from './words.ts';

export const bridgeWeights: ClaimKind = {
  kind: 'bridge-weights',
  weight: 'blocks',
  subject: 'bridge table',
  example:
    '`bridge-weights:title_author`: the values of `share` of each `title_id` add up to 1; shares of 0.5 and 0.4 break it.',
  documentation: 'The weights of one group of a bridge do not add up to exactly 1.',
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) => t.weight && [t.weight.column, ...t.weight.per].every((name) => checker.names.column(t, name)),
      )
      .map((t) =>
        claimOf(
          bridgeWeights,
          t.name,
          `the values of ${t.weight!.column} add up to 1 for each ${t.weight!.per.join(', ')}`,
          {
            ref: { table: t.name },
            about: [{ table: t.name, column: t.weight!.column }],
            tables: [t.name],
            columns: ofTable(t.name, [t.weight!.column, ...t.weight!.per]),
            parts: t.weight,
            counts: [{ count: 'shares', table: t.name, column: t.weight!.column, per: t.weight!.per }],
            found: (e) =>
              `the values of ${t.weight!.column} do not add up to 1 in ${counted(e.distinct ?? 0, 'group')} of one ${t.weight!.per.join(', ')}: ${rowsText(e)} of ${t.name}`,
            remedies: () => {
              const { weight: _, ...plain } = t;
              const effect = `Each row of ${t.name} counts fully; ${t.weight!.column} is a column like any other.`;
              const edit: Remedy['edit'] = [{ do: 'put-tables', name: t.name, value: plain }];
              return [{ id: 'no-shares', title: 'Do without shares', effect, edit }];
            },
          },
        ),
      ),
};
