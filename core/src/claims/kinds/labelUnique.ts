import type { ClaimKind } from '../claim.ts';
import { labelRemedies } from '../remedies/labels.ts';
import { claimOf, judged } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { offendingRows } from '../offenders.ts';
import { ofTable } from './common.ts';

export const labelUnique: ClaimKind = {
  kind: 'label-unique',
  weight: 'warns',
  documentation: "A dimension's label stands for more than one key.",
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) =>
          t.role === 'dimension' &&
          t.label !== undefined &&
          checker.names.column(t, t.label) &&
          t.key?.length,
      )
      .map((t) =>
        claimOf(labelUnique, `${t.name}.${t.label}`, `each ${t.label} of ${t.name} stands for one member`, {
          about: [{ table: t.name, column: t.label! }],
          tables: [t.name],
          columns: ofTable(t.name, [t.label!, ...(t.validity?.of ?? t.key!)]),
          parts: [t.label, t.key, t.validity],
          judge: (data) => {
            const table = data.table(t.name);
            const label = data.column(t.name, t.label!);
            // Versions of one member share their label: its natural key tells members apart.
            const key = combinations(
              (t.validity?.of ?? t.key!).map((name) => data.column(t.name, name)),
              table.rowCount,
            );
            const first = new Int32Array(label.domain.size + 1).fill(-1);
            const shared = new Uint8Array(first.length);
            label.codes.forEach((code, row) => {
              if (first[code]! < 0) first[code] = key.numbers[row]!;
              else if (first[code] !== key.numbers[row]) shared[code] = 1;
            });
            return judged(
              offendingRows(
                table,
                table.rowCount,
                [label],
                (row) => label.codes[row] !== 0 && shared[label.codes[row]!] === 1,
              ),
            );
          },
          remedies: () =>
            labelRemedies(t, t.label!, (label) => [{ do: 'set-table', table: t.name, change: { label } }]),
        }),
      ),
};
