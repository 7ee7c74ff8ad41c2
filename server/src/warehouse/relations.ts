import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import type { SqlSetting, StatementParts } from '@crease/core/sql';
import { quoted } from '@crease/core/sql';
import { counted, numberText, parseType, TEXT } from '@crease/core/values';
import type { PlacedRows, Stretch } from './engine.ts';
import type { Place } from './places.ts';
import { readColumn } from './readColumn.ts';
import type { ColumnSql, PlacedColumn, ReadColumn } from './readColumn.ts';

/** Rows that are held here and no more than these travel along with a question, as values. */
export const MOST_VALUES = 100_000;

/** Which part of tables is read, where not all of it. */
export interface ReadPart {
  /** Of plain tables with more rows than these a sample of about as many. */
  readonly most?: number;
  /** Of a plain table the rows that lie on some of its pages, from one up to but not with another. */
  readonly pages?: Stretch;
}

/** The name of the stored value beside that of the column, where it may not fit its type. */
const asStored = (column: string): string => quoted(`${column} (stored)`);

/**
 * Where the rows of a model's tables are: in the database, or here, from where they travel along as values.
 * `held` gives the rows of a table that is not in the database; it throws DataError where there are none.
 */
export function relationsOn(
  places: ReadonlyMap<string, Place>,
  engine: PlacedRows,
  held: (table: Table) => TableData,
  part: ReadPart = {},
): Required<Pick<SqlSetting, 'rowsOf' | 'misfitOf' | 'onColumn'>> {
  const relations = new Map<string, string>();
  const placeOf = (table: Table) => places.get(table.name.toLowerCase());
  return {
    rowsOf: (table, text) => {
      const place = placeOf(table);
      if (!place) return valuesOf(table, held(table), text, engine);
      const known = relations.get(table.name) ?? placedSql(table, place, engine, part);
      relations.set(table.name, known);
      return known;
    },
    onColumn: (table, column) => {
      const place = placeOf(table);
      if (place && !storedColumn(table, place, column))
        throw new DataError(
          `${table.name}.${column} is not in the database: ${place.schema}.${place.table} has no column of that name`,
          { code: 'not-loaded' },
        );
    },
    misfitOf: (table, name, alias) => {
      const place = placeOf(table);
      const column = table.columns.find((c) => sameName(c.name, name));
      const stored = place && column && storedColumn(table, place, column.name);
      if (!stored) return undefined;
      const raw = `${alias}.${asStored(column.name)}`;
      const { misfit } = readAs(raw, stored, column, engine);
      return misfit === undefined
        ? undefined
        : { condition: misfit, text: `cast(${raw} as ${engine.textType})` };
    },
  };
}

type ModelColumn = Table['columns'][number];

const readAs = (raw: string, stored: PlacedColumn, column: ModelColumn, engine: ColumnSql): ReadColumn =>
  readColumn(raw, stored, parseType(column.type) ?? TEXT, engine, column.pattern);

function storedColumn(table: Table, place: Place, name: string): PlacedColumn | undefined {
  const column = table.columns.find((c) => sameName(c.name, name))!;
  const wanted = column.sourceName ?? column.name;
  return (
    place.columns.find((c) => c.name === wanted) ??
    place.columns.find((c) => sameName(c.name, wanted)) ??
    place.columns.find((c) => sameName(c.name, column.name))
  );
}

/**
 * The rows of a placed table under the model's names, with what tells them apart. A column that the table
 * lacks is left out: what asks for it is told by name.
 */
function placedSql(
  table: Table,
  place: Place,
  engine: PlacedRows,
  { most = Infinity, pages }: ReadPart,
): string {
  const columns = table.columns
    .filter((c) => c.formula === undefined)
    .flatMap((column) => {
      const stored = storedColumn(table, place, column.name);
      if (!stored) return [];
      const raw = `t.${quoted(stored.name)}`;
      const { sql, misfit } = readAs(raw, stored, column, engine);
      return [
        `${sql} as ${quoted(column.name)}`,
        ...(misfit === undefined ? [] : [`${raw} as ${asStored(column.name)}`]),
      ];
    });
  const share =
    engine.isDrawn(place) && place.rows !== null && place.rows > most ? most / place.rows : undefined;
  const part = engine.part({
    ...(share === undefined ? {} : { share }),
    ...(pages ? { stretch: pages } : {}),
  });
  const from = `${quoted(place.schema)}.${quoted(place.table)} t${part}`;
  return `(select ${[engine.rowId(place), ...columns].join(', ')} from ${from})`;
}

/** Rows of a large table that are drawn for a first answer, and from how many rows on it is large. */
const DRAWN_ROWS = 200_000;
const LARGE_ROWS = 5 * DRAWN_ROWS;

/** Of a large plain table a relation of rows from pages that are drawn at random; undefined for any other. */
export function drawnRows(
  places: ReadonlyMap<string, Place>,
  engine: PlacedRows,
  table: Table,
): string | undefined {
  const place = places.get(table.name.toLowerCase());
  const isLarge = place && engine.isDrawn(place) && place.rows !== null && place.rows >= LARGE_ROWS;
  return isLarge ? placedSql(table, place, engine, { most: DRAWN_ROWS }) : undefined;
}

/** Rows that travel along with a statement. */
function valuesOf(table: Table, rows: TableData, text: StatementParts, engine: PlacedRows): string {
  if (rows.rowCount > MOST_VALUES)
    throw new DataError(
      `${table.name} is not in the database, and its ${counted(rows.rowCount, 'row')} are more than the ${numberText(MOST_VALUES)} that travel along with a question: load it there, or hold the other tables here`,
      { code: 'limit' },
    );
  return engine.valuesOf(table, rows, text);
}

/** Whether a unique index keeps columns of a model apart, by what they are called there. */
export const isEnforcedAt =
  (model: Model, places: ReadonlyMap<string, Place>, engine: PlacedRows) =>
  (name: string, columns: readonly string[]): boolean => {
    const table = model.tables.find((t) => sameName(t.name, name));
    const place = table && places.get(table.name.toLowerCase());
    if (!place) return false;
    const declared = columns.map((c) => table.columns.find((own) => sameName(own.name, c)));
    // A value that is read as another type may be the same as that of another row.
    const stored = declared.flatMap((c) => {
      const found = c && c.formula === undefined ? storedColumn(table, place, c.name) : undefined;
      return found && readAs('x', found, c!, engine).misfit === undefined ? [found.name] : [];
    });
    return (
      stored.length === columns.length && place.unique.some((set) => set.every((one) => stored.includes(one)))
    );
  };

/** What a model has and the database lacks, said once before anything is asked. */
export const missingColumns = (table: Table, place: Place): string[] =>
  table.columns
    .filter((c) => c.formula === undefined && !storedColumn(table, place, c.name))
    .map((c) => c.name);
