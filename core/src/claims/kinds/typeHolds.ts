import type { ClaimKind, SampleRow } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { definitions } from './common.ts';

export const typeHolds: ClaimKind = {
  kind: 'type-holds',
  weight: 'blocks',
  documentation: 'A value is not of the declared type or pattern.',
  list: ({ model }) =>
    model.tables.flatMap((t) =>
      t.columns
        .filter((c) => c.formula === undefined)
        .map((c) =>
          claimOf(
            typeHolds,
            `${t.name}.${c.name}`,
            `every ${t.name}.${c.name} is ${c.type}${c.pattern ? ` written as ${c.pattern}` : ''}`,
            {
              about: [{ table: t.name, column: c.name }],
              tables: [t.name],
              parts: definitions(model, [t.name]),
              judge: (data) => {
                const table = data.table(t.name);
                data.column(t.name, c.name);
                const misfits = table.misfits.get(c.name.toLowerCase());
                if (!misfits) return judged({ checked: table.rowCount, against: 0 });
                const sample = misfits.sample.map(({ text, rows, line }): SampleRow => ({ [c.name]: text, rows, line, lines: [line] }));
                return judged({ checked: table.rowCount, against: misfits.rows, distinct: misfits.distinct, sample });
              },
              remedies: () => [
                {
                  id: 'declare-text',
                  title: 'Declare it as text',
                  effect: `${t.name}.${c.name} is kept as it is written, and can no longer be added up; the table has to be loaded again.`,
                  edit: [{ do: 'set-column', table: t.name, column: c.name, change: { type: 'text', pattern: '' } }],
                },
              ],
            },
          ),
        ),
    ),
};
