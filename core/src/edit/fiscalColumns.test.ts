import { generateCalendar } from '../calendar/index.ts';
import { columnOfValues, columnValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { DATE, textReader } from '../values/index.ts';

import { applyEdit, fiscalColumns, missingFiscalColumns, setFiscalYear } from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
const [from, to] = [day('2023-12-25'), day('2026-02-05')];
const days = Array.from({ length: to - from + 1 }, (_, i) => from + i);
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    { name: 'dates', role: 'dimension', key: ['on day'], columns: [{ name: 'on day', type: 'date' }] },
  ],
  calendars: [{ table: 'dates', day: 'on day', fiscalYear: { firstMonth: 7, namedBy: 'end' } }],
};
const rows = tableOf('dates', [columnOfValues('on day', DATE, days)]);
const [table, calendar] = [model.tables[0]!, model.calendars![0]!];

test('columns of a fiscal year by formula hold what a generated calendar holds, whenever the year begins', () => {
  for (let firstMonth = 1; firstMonth <= 12; firstMonth++)
    for (const namedBy of ['start', 'end'] as const) {
      const made = fiscalColumns('on day', { firstMonth, namedBy });
      const data = new ModelData(
        { ...model, tables: [{ ...table, columns: [...table.columns, ...made] }] },
        () => rows,
        to,
      );
      const generated = generateCalendar(
        from,
        to,
        made.map((c) => c.name),
        { firstMonth, namedBy },
      );
      for (const column of generated) {
        const derived = data.column('dates', column.name);
        const [own, theirs] = [columnValues(derived), columnValues(column)];
        const pairs = days.map((_, row) => [own[derived.codes[row]!], theirs[column.codes[row]!]]);
        expect({ firstMonth, namedBy, name: column.name, off: pairs.filter(([a, b]) => a !== b) }).toEqual({
          firstMonth,
          namedBy,
          name: column.name,
          off: [],
        });
      }
    }
});

test('columns that a calendar has are not made again; those that were made follow the fiscal year', () => {
  const own = { name: 'fiscal_quarter', type: 'integer', formula: '1' };
  const has = { ...table, columns: [...table.columns, own] };
  const missing = missingFiscalColumns(has, calendar);
  expect(missing.map((c) => c.name)).toEqual(['fiscal_year', 'fiscal_year_quarter', 'fiscal_period']);
  const with3 = { ...has, columns: [...has.columns, ...missing] };
  const next = { firstMonth: 4, namedBy: 'start' as const };
  const changed = applyEdit({ ...model, tables: [with3] }, setFiscalYear(with3, calendar, next));
  expect(changed.calendars![0]!.fiscalYear).toEqual(next);
  const formulas = new Map(changed.tables[0]!.columns.map((c) => [c.name, c.formula]));
  for (const { name, formula } of fiscalColumns('on day', next))
    expect(formulas.get(name)).toBe(name === 'fiscal_quarter' ? '1' : formula);
});

test('a calendar without a fiscal year lacks none of its columns', () => {
  expect(missingFiscalColumns(table, { table: 'dates', day: 'on day' })).toEqual([]);
});
