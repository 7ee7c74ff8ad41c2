import { parseType, textReader, TEXT, DATE, fromJson } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, renamed, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ColumnToRead, Dialect, ReadSpec } from '../reading/index.ts';
import { detectDialect } from '../reading/index.ts';
import { DataError } from '../query/index.ts';
import { generateCalendar } from '../calendar/index.ts';
import type { StepSetting } from '../shape/index.ts';
import { derivedRows } from '../shape/index.ts';

type FileSource = Extract<NonNullable<Table['source']>, { file: string }>;

/** How much of a file is looked at to find what its model does not say. */
export const HEAD_BYTES = 1 << 16;

/** What to read of a model table's file: its stored columns, in the dialect that the model says, or else that the head shows. */
export function readSpecOf(table: Table, source: FileSource, head: Uint8Array, whole: boolean): ReadSpec {
  const guessed = detectDialect(head, whole);
  const dialect: Dialect = {
    delimiter: source.delimiter ?? guessed.delimiter,
    quote: source.quote ?? '"',
    header: source.header ?? true,
    encoding: source.encoding ?? guessed.encoding,
    newline: guessed.newline,
    ...(source.skip ? { skip: source.skip } : {}),
  };
  return {
    table: table.name,
    columns: storedColumns(table, source),
    dialect,
    ...(source.nulls ? { nulls: source.nulls } : {}),
  };
}

function storedColumns(table: Table, source: FileSource): ColumnToRead[] {
  return table.columns
    .filter((column) => column.formula === undefined)
    .map((column) => ({
      name: column.name,
      type: parseType(column.type) ?? TEXT,
      ...(column.pattern ? { pattern: column.pattern } : {}),
      ...(column.sourceName !== undefined ? { fileName: column.sourceName } : {}),
      ...(source.decimalComma ? { decimalComma: true } : {}),
      ...(source.thousands !== undefined ? { thousands: source.thousands } : {}),
    }));
}

/** Rows of a table that needs no file: a generated calendar, members typed by hand, or shaping steps over other tables; undefined for any other. */
function ownRows(model: Model, table: Table, setting: StepSetting): TableData | undefined {
  const { source } = table;
  if (!source) return undefined;
  const stored = table.columns.filter((column) => column.formula === undefined);
  if ('calendar' in source) {
    const day = textReader(DATE);
    const fiscal =
      source.calendar.fiscalYear ?? model.calendars?.find((c) => sameName(c.table, table.name))?.fiscalYear;
    const columns = generateCalendar(
      day(source.calendar.from) as number,
      day(source.calendar.to) as number,
      stored.map((c) => c.sourceName ?? c.name),
      fiscal,
    );
    const called = new Map(stored.map((c) => [(c.sourceName ?? c.name).toLowerCase(), c.name]));
    return tableOf(
      table.name,
      columns.map((column) => renamed(column, called.get(column.name.toLowerCase())!)),
    );
  }
  if ('steps' in source) return derivedRows(table, source.steps, setting);
  if ('members' in source) {
    const columns = stored.map((column) => {
      const type = parseType(column.type) ?? TEXT;
      return columnOfValues(
        column.name,
        type,
        source.members.map((member): Value => fromJson(member[column.name] ?? null, type) ?? null),
      );
    });
    return tableOf(table.name, columns, { rowCount: source.members.length });
  }
  return undefined;
}

/**
 * Rows of a model's tables by name, each made once. `stored` gives the rows of a table that has its own; `today` is in days since
 * 1970-01-01. `kept` may have rows that need no file from an earlier time, or makes them. The loader throws DataError for an unknown table and
 * where tables are derived from each other in a circle.
 */
export function tableLoader(
  model: Model,
  today: number,
  stored: (table: Table) => TableData,
  kept: (table: Table, make: () => TableData | undefined) => TableData | undefined = (_, make) => make(),
): (name: string) => TableData {
  const made = new Map<string, TableData>();
  /** Tables whose steps are being run: one that is asked for again is derived from itself. */
  const open: string[] = [];
  const load = (wanted: string): TableData => {
    const table = model.tables.find((t) => sameName(t.name, wanted));
    if (!table) throw new DataError(`the model has no table "${wanted}"`);
    const { name } = table;
    const known = made.get(name);
    if (known) return known;
    if (open.includes(name))
      throw new DataError(
        `the tables are derived from each other in a circle: ${[...open, name].join(' → ')}`,
      );
    open.push(name);
    try {
      const rows = kept(table, () => ownRows(model, table, { table: load, today })) ?? stored(table);
      made.set(name, rows);
      return rows;
    } finally {
      open.pop();
    }
  };
  return load;
}
