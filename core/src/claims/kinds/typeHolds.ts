import type { ClaimKind, Evidence, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { lengthOf } from '../counts/index.ts';
import { ofTable } from './common.ts';
import { rowsText, verb } from './words.ts';

export const typeHolds: ClaimKind = {
  kind: 'type-holds',
  weight: 'blocks',
  subject: 'table.column',
  documentation: 'A value is not of the declared type or pattern (with line numbers).',
  example:
    '`type-holds:loan.loan_date`: every `loan.loan_date` is a date written as yyyy-MM-dd; a value `31/02/2026` breaks it.',
  list: ({ model }) =>
    model.tables.flatMap((t) =>
      t.columns
        .filter((c) => c.formula === undefined)
        .map((c) =>
          claimOf(
            typeHolds,
            `${t.name}.${c.name}`,
            `every ${t.name}.${c.name} is ${c.type}${c.pattern ? ` written as ${c.pattern}` : ''}${c.length ? ` of at most ${c.length} characters` : ''}`,
            {
              ref: { table: t.name, column: c.name },
              about: [{ table: t.name, column: c.name }],
              tables: [t.name],
              columns: ofTable(t.name, [c.name]),
              counts: [
                {
                  count: 'misfits',
                  table: t.name,
                  column: c.name,
                  ...(c.length === undefined ? {} : { length: c.length }),
                },
              ],
              found: (e) =>
                c.type === 'text' && c.length !== undefined
                  ? `${rowsText(e)} of ${t.name} ${verb(e, 'has', 'have')} a ${c.name} of more than ${c.length} characters`
                  : `${rowsText(e)} of ${t.name} ${verb(e, 'has', 'have')} a ${c.name} that is no ${c.type}${c.pattern ? ` written as ${c.pattern}` : ''}`,
              remedies: ({ evidence }) => [
                c.type === 'text' && c.length !== undefined
                  ? longer(t.name, c.name, evidence)
                  : {
                      id: 'declare-text',
                      title: 'Declare it as text',
                      effect: `${t.name}.${c.name} is stored as text and can no longer be summed; the table has to be loaded again.`,
                      edit: [
                        {
                          do: 'set-column',
                          table: t.name,
                          column: c.name,
                          change: { type: 'text', pattern: '' },
                        },
                      ],
                    },
              ],
            },
          ),
        ),
    ),
};

/** Room for the longest of the texts that were met. */
function longer(table: string, column: string, { sample = [] }: Evidence): Remedy {
  const length = Math.max(1, ...sample.map((row) => lengthOf(String(row.values[column]))));
  return {
    id: 'lengthen',
    title: `Let it be ${length} characters long`,
    effect: `${table}.${column} holds the longest value that was met; a database that is made from the model gets room for it.`,
    edit: [{ do: 'set-column', table, column, change: { length } }],
  };
}
