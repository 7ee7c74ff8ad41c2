import type { Edit } from './edit.ts';
import { quoteName } from '../formula/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { freeName, sameName } from '../model/index.ts';

/** A derived column of days: its name, and the edit that adds it, empty where the table has it. */
export interface DayColumn {
  readonly name: string;
  readonly edit: Edit;
}

/** Endings of names of moments, which the name of their day does without. */
const MOMENT_WORDS = /[_ ]?(at|on|ts|time|timestamp|datetime|date_time|moment)$/i;

/** The day of a moment: `returned_at` gets `returned_day`. */
export function dayOfMoment(table: Table, column: string): DayColumn {
  const stem = column.replace(MOMENT_WORDS, '');
  return derivedDay(table, stem === '' ? 'day' : `${stem}_day`, `cast(${quoteName(column)} as date)`);
}

/**
 * A column of days by a formula over columns of its row. One with this formula that is there already is it.
 */
export function derivedDay(table: Table, wanted: string, formula: string): DayColumn {
  const known = table.columns.find((c) => c.formula === formula && c.type === 'date');
  if (known) return { name: known.name, edit: [] };
  const name = freeName(wanted, table.columns);
  const value: ModelColumn = { name, type: 'date', formula };
  return { name, edit: [{ do: 'put-column', table: table.name, value }] };
}

/**
 * A relationship from the day of a moment to a column of days: the derived column, and the relationship, by
 * default only where `isDefault` says so.
 */
export function relateDay(
  model: Model,
  table: Table,
  column: string,
  to: Relationship['to'],
  isDefault: boolean,
): { readonly name: string; readonly edit: Edit } {
  const day = dayOfMoment(table, column);
  const relationships = model.relationships ?? [];
  const known = relationships.find(
    (r) =>
      sameName(r.from.table, table.name) &&
      r.from.columns.length === 1 &&
      sameName(r.from.columns[0]!, day.name) &&
      sameName(r.to.table, to.table),
  );
  if (known) return { name: known.name, edit: day.edit };
  const name = freeName(`${table.name}_${isDefault ? to.table : day.name}`, relationships);
  const value = {
    name,
    from: { table: table.name, columns: [day.name] },
    to: { table: to.table, columns: [...to.columns] },
    ...(isDefault ? {} : { default: false }),
  };
  return { name, edit: [...day.edit, { do: 'put-relationships', name: null, value }] };
}
