import type { ClaimKind } from '../claim.ts';
import { labelRemedies } from '../remedies/labels.ts';
import { claimOf } from '../claim.ts';
import { ofTable } from './common.ts';
import { counted, rowsText, verb } from './words.ts';

export const labelUnique: ClaimKind = {
  kind: 'label-unique',
  weight: 'warns',
  subject: 'table.column',
  documentation: "A dimension's label has more than one key.",
  example:
    '`label-unique:branch.name`: each `name` of `branch` identifies one member; two branches called Mill Lane break it.',
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) =>
          t.role === 'dimension' &&
          t.label !== undefined &&
          checker.names.column(t, t.label) &&
          t.key?.length,
      )
      .map((t) => {
        const label = { table: t.name, column: t.label! };
        // Versions of one member share their label: its natural key tells members apart.
        const members = ofTable(t.name, t.validity?.of ?? t.key!);
        return claimOf(
          labelUnique,
          `${t.name}.${t.label}`,
          `each ${t.label} of ${t.name} identifies one member`,
          {
            ref: label,
            about: [label],
            tables: [t.name],
            columns: [label, ...members],
            parts: [t.label, t.key, t.validity],
            counts: [
              {
                count: 'differing',
                table: t.name,
                group: [label],
                parts: members,
                nullParts: 'values',
                shown: { name: t.label!, column: label },
              },
            ],
            found: (e) =>
              `${counted(e.distinct ?? 0, 'value')} of ${t.label} ${e.distinct === 1 ? 'belongs' : 'belong'} to several members: ${rowsText(e)} of ${t.name} ${verb(e, 'has', 'have')} such a ${t.label}`,
            remedies: () =>
              labelRemedies(t, t.label!, (other) => [
                { do: 'set-table', table: t.name, change: { label: other } },
              ]),
          },
        );
      }),
};
