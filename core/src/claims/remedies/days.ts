import { CALENDAR_COLUMNS } from '../../calendar/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { Model, ModelColumn, Table } from '../../model/index.ts';
import { freeName, sameName, calendarOf } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { withMissing } from '../../edit/index.ts';
import { formatDate, formatType } from '../../values/index.ts';
import type { Remedy } from '../claim.ts';

type Calendar = NonNullable<Model['calendars']>[number];

const isGenerated = (c: ModelColumn): boolean => {
  const made = CALENDAR_COLUMNS[c.name.toLowerCase()];
  return made !== undefined && formatType(made.type) === c.type;
};

/**
 * The first and the last of some days, stretched to whole years where `whole` is set; undefined where there
 * are none.
 */
export function spanOf(
  data: ModelData,
  ends: readonly { table: string; column: string }[],
  whole: boolean,
): { from: string; to: string } | undefined {
  let [first, last] = [Infinity, -Infinity];
  for (const { table, column } of ends) {
    const found = data.column(table, column);
    const values = columnValues(found);
    for (let code = 1; code < values.length; code++) {
      if (found.counts[code] === 0) continue;
      const day = values[code] as number;
      if (day < first) first = day;
      if (day > last) last = day;
    }
  }
  if (first > last) return undefined;
  const [from, to] = [formatDate(first), formatDate(last)];
  return whole ? { from: `${from.slice(0, 4)}-01-01`, to: `${to.slice(0, 4)}-12-31` } : { from, to };
}

/**
 * Days that a calendar lacks: where it is generated it is generated for the span, else it is derived from its
 * rows as they come and a generated row for each day that they lack. Columns that a generated calendar does
 * not know are null on the new days.
 */
export function daysRemedy(
  model: Model,
  calendar: Calendar,
  span: { from: string; to: string },
  id: string,
  title: string,
): Remedy | undefined {
  const table = model.tables.find((t) => sameName(t.name, calendar.table));
  if (!table) return undefined;
  const generated = calendarOf(table);
  if (generated)
    return {
      id,
      title,
      effect: `${table.name} is generated from ${span.from} to ${span.to}.`,
      edit: [
        {
          do: 'set-table',
          table: table.name,
          change: { source: { calendar: { ...generated.calendar, ...span } } },
        },
      ],
    };
  const stored = table.columns.filter((c) => c.formula === undefined);
  const day = stored.find((c) => sameName(c.name, calendar.day));
  if (!day) return undefined;
  const known = stored.filter((c) => c === day || isGenerated(c));
  const all: Table = {
    name: freeName(`${table.name}_days`, model.tables),
    role: 'staging',
    // It is no calendar of the model: what it knows of the fiscal year it is told.
    source: { calendar: { ...span, ...(calendar.fiscalYear ? { fiscalYear: calendar.fiscalYear } : {}) } },
    columns: known.map((c): ModelColumn =>
      c === day ? { name: c.name, type: 'date', sourceName: 'day' } : { name: c.name, type: c.type },
    ),
  };
  const under = withMissing(model, table, {
    name: `${table.name}_missing`,
    steps: () => [{ from: all.name }],
    key: [day],
    columns: known,
    tables: [all],
  });
  if (!under) return undefined;
  const empty = stored.filter((c) => !known.includes(c)).map((c) => c.name);
  return {
    id,
    title,
    effect: `${table.name} is derived from its rows as they come, ${under.staging.name}, and a generated row for each day from ${span.from} to ${span.to} that they lack${empty.length > 0 ? `; there ${empty.join(', ')} ${empty.length === 1 ? 'is' : 'are'} null` : ''}.`,
    edit: under.edit,
  };
}
