import type { Calendar, FiscalYear } from '../calendar/index.ts';
import { quoteName } from '../formula/index.ts';
import type { ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Edit } from './edit.ts';

/**
 * Columns of a fiscal year by formula over the day of a calendar, under the names that generated calendars
 * give them. A fiscal year that starts in January is the calendar year, whichever end names it.
 */
export function fiscalColumns(day: string, { firstMonth, namedBy }: FiscalYear): ModelColumn[] {
  const [year, month] = [`extract(year from ${quoteName(day)})`, `extract(month from ${quoteName(day)})`];
  const began = `case when ${month} >= ${firstMonth} then 1 else 0 end`;
  const fiscalYear = firstMonth === 1 ? year : `${year} + ${began}${namedBy === 'end' ? '' : ' - 1'}`;
  // Months since the fiscal year began.
  const since = `mod(${month} + ${12 - firstMonth}, 12)`;
  const quarter = `div(${since}, 3) + 1`;
  return [
    { name: 'fiscal_year', type: 'integer', formula: fiscalYear },
    {
      name: 'fiscal_year_quarter',
      type: 'text',
      formula: `cast(${fiscalYear} as text) || '-Q' || cast(${quarter} as text)`,
    },
    { name: 'fiscal_quarter', type: 'integer', formula: quarter },
    { name: 'fiscal_period', type: 'integer', formula: `${since} + 1` },
  ];
}

/** The columns of a fiscal year that a table lacks. */
export const missingFiscalColumns = (table: Table, calendar: Calendar): ModelColumn[] =>
  calendar.fiscalYear === undefined
    ? []
    : fiscalColumns(calendar.day, calendar.fiscalYear).filter(
        (made) => !table.columns.some((c) => sameName(c.name, made.name)),
      );

/**
 * Sets the fiscal year of a calendar. Columns that were made of the one before by `fiscalColumns` go with it;
 * those of another making are left as they are.
 */
export function setFiscalYear(table: Table, calendar: Calendar, fiscalYear: FiscalYear): Edit {
  const before = calendar.fiscalYear ? fiscalColumns(calendar.day, calendar.fiscalYear) : [];
  const after = fiscalColumns(calendar.day, fiscalYear);
  const follow = before.flatMap(({ name, formula }, i): Edit => {
    const own = table.columns.find((c) => sameName(c.name, name) && c.formula === formula);
    const next = after[i]!.formula!;
    if (!own || own.formula === next) return [];
    return [{ do: 'set-column', table: table.name, column: own.name, change: { formula: next } }];
  });
  return [{ do: 'put-calendar', value: { ...calendar, fiscalYear } }, ...follow];
}
