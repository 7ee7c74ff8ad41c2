import type { Edit } from '../edit/index.ts';
import { applyEdit, dayOfMoment, relateDay } from '../edit/index.ts';
import type { Model, Table } from '../model/index.ts';
import { freeName, ModelNames, sameName } from '../model/index.ts';
import { Reach } from '../relate/index.ts';

/** A column of a fact that holds days or moments. */
export interface DayOf {
  readonly table: string;
  readonly column: string;
  readonly type: 'date' | 'timestamp';
}

/** Columns of days and moments of facts from which no relationship starts, nor from their day. */
export function daysWithoutCalendar(model: Model): DayOf[] {
  const refers = (table: Table, column: string): boolean =>
    (model.relationships ?? []).some(
      (r) => sameName(r.from.table, table.name) && r.from.columns.some((c) => sameName(c, column)),
    );
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((table) =>
      table.columns.flatMap((c): DayOf[] => {
        if ((c.type !== 'date' && c.type !== 'timestamp') || c.hidden || refers(table, c.name)) return [];
        // The day of a moment stands for it: it is asked about by that column, or has a calendar already.
        if (c.type === 'timestamp' && dayOfMoment(table, c.name).edit.length === 0) return [];
        return [{ table: table.name, column: c.name, type: c.type }];
      }),
    );
}

/**
 * Relates days, or the days of moments, to a calendar, one after the other. A fact that reaches the calendar
 * already gets no second way by default.
 */
export function relateToCalendar(
  model: Model,
  days: readonly DayOf[],
  calendar: { readonly table: string; readonly day: string },
): Edit {
  const to = { table: calendar.table, columns: [calendar.day] };
  let [after, all] = [model, [] as Edit];
  for (const { table: name, column, type } of days) {
    const table = after.tables.find((t) => sameName(t.name, name));
    if (!table) continue;
    const isDefault = new Reach(new ModelNames(after)).route(table.name, to.table) === undefined;
    const value = {
      name: freeName(`${table.name}_${isDefault ? to.table : column}`, after.relationships ?? []),
      from: { table: table.name, columns: [column] },
      to,
      ...(isDefault ? {} : { default: false }),
    };
    const edit: Edit =
      type === 'timestamp'
        ? relateDay(after, table, column, to, isDefault).edit
        : [{ do: 'put-relationships', name: null, value }];
    after = applyEdit(after, edit);
    all = [...all, ...edit];
  }
  return all;
}
