import type { Column } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { amountsOf } from './holds.ts';
import type { Proposal } from './proposal.ts';
import { numberText } from '../values/index.ts';

/** Whether days follow each other so closely that they are those of a calendar. */
export const isCalendarKey = (key: Column): boolean =>
  key.type.kind === 'date' && key.distinct >= 28 && key.domain.size <= key.distinct * 1.5;

/**
 * Whether a table may be a calendar: it describes days and holds no amounts of them. A measurement a day is a
 * fact, however closely its days follow each other.
 */
export const isCalendarTable = (table: Table, data: ModelData): boolean =>
  amountsOf(table, data).length === 0;

/**
 * Dimensions with one row a day, whose days follow each other: the key, or beside a key of another kind a
 * column of days.
 */
export function proposeCalendars(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter(
      (t) =>
        t.key?.length === 1 &&
        t.role === 'dimension' &&
        !(model.calendars ?? []).some((c) => sameName(c.table, t.name)),
    )
    .flatMap((t): Proposal[] => {
      const day = dayOf(t, data);
      if (day === undefined || !isCalendarTable(t, data)) return [];
      return [
        {
          id: `calendar:${t.name}`,
          kind: 'calendar',
          table: t.name,
          says: `${t.name} is a calendar`,
          evidence: [
            `${day} holds ${numberText(data.column(t.name, day).distinct)} days that follow each other`,
          ],
          edit: [{ do: 'put-calendar', value: { table: t.name, day } }],
        },
      ];
    });
}

function dayOf(table: Table, data: ModelData): string | undefined {
  const key = table.key![0]!;
  if (isCalendarKey(data.column(table.name, key))) return key;
  return table.columns.find(({ name, type, formula }) => {
    if (type !== 'date' || formula !== undefined) return false;
    const column = data.column(table.name, name);
    return column.distinct === column.rowCount && isCalendarKey(column);
  })?.name;
}
