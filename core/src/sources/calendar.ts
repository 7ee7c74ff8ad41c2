import { renamed, tableOf } from '../columns/index.ts';
import { generateCalendar } from '../calendar/index.ts';
import type { CalendarSource } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { DATE, textReader } from '../values/index.ts';
import type { SourceKind } from './kind.ts';

/** A generated calendar: its columns follow from their names in it, and from the fiscal year. */
export const calendar: SourceKind<CalendarSource> = {
  field: 'calendar',
  place: () => 'a generated calendar',
  rows: (table, { calendar: { from, to, fiscalYear } }, { model }) => {
    const day = textReader(DATE);
    const stored = table.columns.filter((column) => column.formula === undefined);
    const columns = generateCalendar(
      day(from) as number,
      day(to) as number,
      stored.map((c) => c.sourceName ?? c.name),
      fiscalYear ?? model.calendars?.find((c) => sameName(c.table, table.name))?.fiscalYear,
    );
    const called = new Map(stored.map((c) => [(c.sourceName ?? c.name).toLowerCase(), c.name]));
    return tableOf(
      table.name,
      columns.map((column) => renamed(column, called.get(column.name.toLowerCase())!)),
    );
  },
  // Its rows are those of the days: another set of days is another calendar.
  takesSteps: false,
};
