import type { Value } from '../../values/index.ts';
import type { Column, TableData } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, Evidence, Judgement, Remedy, SampleRow } from '../claim.ts';
import { claimOf, judged, MOST_LINES } from '../claim.ts';
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
              judge: (data) => {
                const table = data.table(t.name);
                const column = data.column(t.name, c.name);
                const misfits = table.misfits.get(c.name.toLowerCase());
                if (!misfits && c.length !== undefined) return judgeLength(table, column, c.name, c.length);
                if (!misfits) return judged({ checked: table.rowCount, against: 0 });
                const sample = misfits.sample.map(({ text, rows, lines }): SampleRow => ({
                  values: { [c.name]: text },
                  rows,
                  lines,
                }));
                return judged({
                  checked: table.rowCount,
                  against: misfits.rows,
                  distinct: misfits.distinct,
                  sample,
                });
              },
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

/** Characters, not units of UTF-16. */
const lengthOf = (text: Value): number => [...String(text)].length;

/** Texts that are longer than the model lets them be. */
function judgeLength(table: TableData, column: Column, name: string, length: number): Judgement {
  const values = columnValues(column);
  const long = values.flatMap((value, code) =>
    typeof value === 'string' && lengthOf(value) > length && column.counts[code]! > 0 ? [code] : [],
  );
  const against = long.reduce((sum, code) => sum + column.counts[code]!, 0);
  const sample = long
    // The longest first: they say how long it would have to be.
    .sort((a, b) => lengthOf(values[b]!) - lengthOf(values[a]!) || column.counts[b]! - column.counts[a]!)
    .slice(0, 20)
    .map((code): SampleRow => {
      const lines = table.lineOf ? linesOf(table, column, code) : [];
      return {
        values: { [name]: values[code] as string },
        rows: column.counts[code]!,
        ...(lines.length ? { lines } : {}),
      };
    });
  return judged({ checked: table.rowCount, against, distinct: long.length, sample });
}

function linesOf(table: TableData, column: Column, code: number): number[] {
  const lines: number[] = [];
  for (let row = 0; row < column.rowCount && lines.length < MOST_LINES; row++)
    if (column.codes[row] === code) lines.push(table.lineOf!(row));
  return lines;
}

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
