import type { Value } from '../../values/index.ts';
import type { Column, TableData } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, Evidence, Judgement, Remedy, SampleRow } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { ofTable } from './common.ts';

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
            `every ${t.name}.${c.name} is ${c.type}${c.pattern ? ` written as ${c.pattern}` : ''}${c.length ? ` of at most ${c.length} characters` : ''}`,
            {
              about: [{ table: t.name, column: c.name }],
              tables: [t.name],
              columns: ofTable(t.name, [c.name]),
              judge: (data) => {
                const table = data.table(t.name);
                const column = data.column(t.name, c.name);
                const misfits = table.misfits.get(c.name.toLowerCase());
                if (!misfits && c.length !== undefined) return judgeLength(table, column, c.name, c.length);
                if (!misfits) return judged({ checked: table.rowCount, against: 0 });
                const sample = misfits.sample.map(({ text, rows, line }): SampleRow => ({
                  [c.name]: text,
                  rows,
                  line,
                  lines: [line],
                }));
                return judged({
                  checked: table.rowCount,
                  against: misfits.rows,
                  distinct: misfits.distinct,
                  sample,
                });
              },
              remedies: ({ evidence }) => [
                c.type === 'text' && c.length !== undefined
                  ? longer(t.name, c.name, evidence)
                  : {
                      id: 'declare-text',
                      title: 'Declare it as text',
                      effect: `${t.name}.${c.name} is kept as it is written, and can no longer be added up; the table has to be loaded again.`,
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
      const line = table.lineOf?.(column.codes.indexOf(code));
      return {
        [name]: values[code] as string,
        rows: column.counts[code]!,
        ...(line === undefined ? {} : { line, lines: [line] }),
      };
    });
  return judged({ checked: table.rowCount, against, distinct: long.length, sample });
}

/** Room for the longest of the texts that were met. */
function longer(table: string, column: string, { sample = [] }: Evidence): Remedy {
  const length = Math.max(1, ...sample.map((row) => lengthOf(String(row[column]))));
  return {
    id: 'lengthen',
    title: `Let it be ${length} characters long`,
    effect: `${table}.${column} holds the longest value that was met; a database that is made from the model gets room for it.`,
    edit: [{ do: 'set-column', table, column, change: { length } }],
  };
}
