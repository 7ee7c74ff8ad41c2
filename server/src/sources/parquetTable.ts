import { basename } from 'node:path';
import type { Column, Misfits, MisfitText, TableData } from '@crease/core/columns';
import { columnOfValues, misfitsOf, noteMisfit, tableOf } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import type { ColumnPreview, Corrections, FilePreview } from '@crease/core/reading';
import {
  DEFAULT_DIALECT,
  FIRST_ROWS,
  mendNames,
  MOST_COLUMNS,
  previewColumn,
  ReadError,
  shortened,
} from '@crease/core/reading';
import type { DataType, Exact, Value } from '@crease/core/values';
import {
  add,
  BOOLEAN,
  DATE,
  decimal,
  DOUBLE,
  formatDate,
  formatExact,
  INTEGER,
  multiply,
  narrow,
  parseType,
  rescale,
  scaleOf,
  splitTimestamp,
  TEXT,
  textReader,
  toDouble,
  TIMESTAMP,
  toText,
} from '@crease/core/values';
import type { SchemaElement } from 'hyparquet';
import { asyncBufferFromFile, parquetMetadataAsync, parquetRead, parquetSchema } from 'hyparquet';
import { compressors } from 'hyparquet-compressors';
import { exactDecimals, FileDecimal } from './parquetDecimals.ts';

/** A day or a moment as the file holds it, so that it is not taken for a number. */
class Day {
  constructor(readonly days: number) {}
}
class Moment {
  constructor(readonly micros: Exact) {}
}

const parsers = {
  dateFromDays: (days: number) => new Day(days),
  timestampFromMilliseconds: (millis: bigint) => new Moment(multiply(narrow(BigInt(millis)), 1000)),
  timestampFromMicroseconds: (micros: bigint) => new Moment(narrow(BigInt(micros))),
  timestampFromNanoseconds: (nanos: bigint) => new Moment(narrow(BigInt(nanos) / 1000n)),
};

/** What a table says of a column that is read. */
type Wanted = Pick<Table['columns'][number], 'name' | 'type' | 'pattern' | 'sourceName'>;

/** A column with its values that are not of its type, which have become null. */
export interface ReadColumn {
  readonly column: Column;
  readonly misfits: Misfits | undefined;
}

/**
 * Reads the stored columns of a table from a Parquet file, each column into the same encoded form as any. A
 * value that is not of its column's type becomes null and is listed. Throws ReadError for a file that is
 * none, or that lacks a column.
 */
export async function readParquetTable(file: string, table: Table): Promise<TableData> {
  const misfits = new Map<string, Misfits>();
  const columns: Column[] = [];
  const wanted = table.columns.filter((column) => column.formula === undefined);
  const rowCount = await eachParquetColumn(file, table.name, wanted, ({ column, misfits: bad }) => {
    columns.push(column);
    if (bad) misfits.set(column.name.toLowerCase(), bad);
  });
  return tableOf(table.name, columns, { rowCount, lineOf: (row) => row + 1, misfits });
}

/**
 * Reads columns one after the other, so that only one is in memory as values; `take` may throw to end it.
 * Returns the number of rows.
 */
export async function eachParquetColumn(
  file: string,
  tableName: string,
  wanted: readonly Wanted[],
  take: (read: ReadColumn, i: number, rowCount: number) => void,
): Promise<number> {
  const { metadata, buffer } = await opened(file);
  const names = parquetSchema(metadata).children.map((child) => child.element.name);
  const fileNames = wanted.map((column) => {
    const said = column.sourceName ?? column.name;
    const name = names.find((n) => n.trim().toLowerCase() === said.trim().toLowerCase());
    if (name === undefined)
      throw new ReadError(
        `the file of table ${tableName} has no column "${said}"; it has ${names.slice(0, 12).join(', ')}${names.length > 12 ? ', …' : ''}`,
      );
    return name;
  });
  const rowCount = Number(metadata.num_rows);
  for (const [i, column] of wanted.entries()) {
    const type = parseType(column.type) ?? TEXT;
    const values: Value[] = new Array<Value>(rowCount).fill(null);
    const bad: { rowStart: number; texts: Map<string, MisfitText> }[] = [];
    const convert = converter(type, column.pattern);
    const exact = exactDecimals(metadata, fileNames[i]!);
    await parquetRead({
      file: buffer,
      metadata: exact?.metadata ?? metadata,
      columns: [fileNames[i]!],
      compressors,
      parsers,
      utf8: exact === undefined,
      onChunk: ({ columnData, rowStart }) => {
        const texts = new Map<string, MisfitText>();
        for (let k = 0; k < columnData.length && rowStart + k < rowCount; k++) {
          const raw: unknown = columnData[k];
          if (raw === null || raw === undefined) continue;
          const found = exact ? exact.of(raw) : raw;
          const value = convert(found);
          if (value !== undefined) values[rowStart + k] = value;
          else noteMisfit(texts, textOf(found), rowStart + k + 1);
        }
        if (texts.size > 0) bad.push({ rowStart, texts });
      },
    });
    // Row groups are read side by side, so their chunks come in any order.
    const misfits = misfitsOf(bad.sort((a, b) => a.rowStart - b.rowStart).map(({ texts }) => texts));
    take({ column: columnOfValues(column.name, type, values), misfits }, i, rowCount);
  }
  return rowCount;
}

/**
 * The values of rows, from 1, as texts under the names of the columns; a value that is null is null. Columns
 * are read one after the other, as a whole.
 */
export async function parquetRows(
  file: string,
  wanted: ReadonlySet<number>,
): Promise<{ names: readonly string[]; rows: ReadonlyMap<number, readonly (string | null)[]> }> {
  const { metadata, buffer } = await opened(file);
  const names = parquetSchema(metadata).children.map((child) => child.element.name);
  const rows = new Map<number, (string | null)[]>();
  for (const row of wanted)
    rows.set(
      row,
      names.map(() => null),
    );
  for (const [place, name] of names.entries()) {
    const exact = exactDecimals(metadata, name);
    await parquetRead({
      file: buffer,
      metadata: exact?.metadata ?? metadata,
      columns: [name],
      compressors,
      parsers,
      utf8: exact === undefined,
      onChunk: ({ columnData, rowStart }) => {
        for (let k = 0; k < columnData.length; k++) {
          const row = rows.get(rowStart + k + 1);
          const raw: unknown = columnData[k];
          if (row && raw !== null && raw !== undefined) row[place] = textOf(exact ? exact.of(raw) : raw);
        }
      },
    });
  }
  return { names, rows };
}

/** Rows of a Parquet file that are looked at before anything is stored. */
const PREVIEW_ROWS = 50_000;

/**
 * What a Parquet file says of its columns and its first rows show. Throws ReadError for a file that is none.
 */
export async function previewParquet(file: string, corrected: Corrections): Promise<FilePreview> {
  const { metadata, buffer } = await opened(file);
  const elements = parquetSchema(metadata).children.map((child) => child.element);
  if (elements.length > MOST_COLUMNS)
    throw new ReadError(
      `the file has ${elements.length} columns, the most is ${MOST_COLUMNS}: remove some before importing it`,
    );
  const rowCount = Number(metadata.num_rows);
  const rows = Math.min(rowCount, PREVIEW_ROWS);
  const { mendedNames, mended } = mendNames(
    elements.map(({ name }) => name),
    corrected.naming,
  );
  const firstRows = Array.from({ length: Math.min(rows, FIRST_ROWS) }, () => elements.map(() => ''));
  const columns: ColumnPreview[] = [];
  for (const [place, element] of elements.entries()) {
    const counted = new Map<string, { rows: number; first: number }>();
    const exact = exactDecimals(metadata, element.name);
    await parquetRead({
      file: buffer,
      metadata: exact?.metadata ?? metadata,
      columns: [element.name],
      rowStart: 0,
      rowEnd: rows,
      compressors,
      parsers,
      utf8: exact === undefined,
      onChunk: ({ columnData, rowStart }) => {
        for (let k = 0; k < columnData.length && rowStart + k < rows; k++) {
          const raw: unknown = columnData[k];
          if (raw === null || raw === undefined) continue;
          const text = textOf(exact ? exact.of(raw) : raw);
          const known = counted.get(text);
          if (known) {
            known.rows++;
            // Chunks come in any order.
            known.first = Math.min(known.first, rowStart + k);
          } else counted.set(text, { rows: 1, first: rowStart + k });
          if (rowStart + k < firstRows.length) firstRows[rowStart + k]![place] = shortened(text);
        }
      },
    });
    const all = [...counted];
    const texts = {
      texts: all.map(([text]) => text),
      rows: Uint32Array.from(all, ([, n]) => n.rows),
      first: Uint32Array.from(all, ([, n]) => n.first),
      rowCount: rows,
    };
    const setByUser = corrected.columns?.get(place);
    const named = { name: mendedNames[place]!, fileName: element.name, place };
    const found = previewColumn(
      named,
      texts,
      new Set(),
      (row) => row + 1,
      setByUser ?? { type: typeOf(element) },
    );
    columns.push(setByUser ? found : { ...found, reason: 'as the file declares' });
  }
  const whole = rows === rowCount;
  return {
    format: 'parquet',
    dialect: DEFAULT_DIALECT,
    nulls: [''],
    rows,
    whole,
    columns,
    firstRows,
    problems: [],
    mended,
  };
}

/** The type that the file declares; nested columns are texts. */
function typeOf({
  type,
  logical_type: logical,
  converted_type: converted,
  precision,
  scale,
}: SchemaElement): DataType {
  const kind = logical?.type ?? converted;
  if (kind === 'DECIMAL') return decimal(Math.min(38, precision ?? 18), scale ?? 0);
  if (kind === 'DATE') return DATE;
  if (kind?.startsWith('TIMESTAMP') || type === 'INT96') return TIMESTAMP;
  if (type === 'BOOLEAN') return BOOLEAN;
  if (type === 'FLOAT' || type === 'DOUBLE') return DOUBLE;
  return (type === 'INT32' || type === 'INT64') && !kind?.startsWith('TIME') ? INTEGER : TEXT;
}

async function opened(file: string) {
  try {
    const buffer = await asyncBufferFromFile(file);
    return { buffer, metadata: await parquetMetadataAsync(buffer, { parsers }) };
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new ReadError(
      code === 'ENOENT'
        ? `there is no file ${basename(file)} in the data folder`
        : `${basename(file)} is not a readable Parquet file: it is damaged, or another format`,
    );
  }
}

/** Brings what the file holds to the column's type; undefined where it is not of it. */
function converter(type: DataType, pattern: string | undefined): (found: unknown) => Value | undefined {
  const read = textReader(type, pattern === undefined ? {} : { pattern });
  const scale = scaleOf(type);
  return (found) => {
    if (found instanceof Day)
      return type.kind === 'date'
        ? found.days
        : type.kind === 'timestamp'
          ? multiply(found.days, 86_400_000_000)
          : read(textOf(found));
    if (found instanceof Moment)
      return type.kind === 'timestamp'
        ? found.micros
        : type.kind === 'date'
          ? splitTimestamp(found.micros).days
          : read(textOf(found));
    if (found instanceof FileDecimal) {
      if (type.kind === 'double') return toDouble(found.unscaled, found.scale);
      if (type.kind !== 'integer' && type.kind !== 'decimal') return read(textOf(found));
      const value = rescale(found.unscaled, found.scale, scale);
      // Digits that the type has no room for are not dropped.
      return rescale(value, scale, found.scale) === found.unscaled ? value : undefined;
    }
    if (typeof found === 'boolean') return type.kind === 'boolean' ? found : read(String(found));
    // NaN and the infinities are no values: they are listed like text in a column of numbers.
    if (type.kind === 'double' && (typeof found === 'number' || typeof found === 'bigint'))
      return Number.isFinite(Number(found)) ? Number(found) : undefined;
    if (type.kind === 'integer' || type.kind === 'decimal') {
      if (typeof found === 'bigint') return rescale(narrow(found), 0, scale);
      if (typeof found === 'number') return exactly(found, scale);
    }
    return read(textOf(found));
  };
}

/** A number as it is at a scale; undefined where it has more digits after the point. */
function exactly(found: number, scale: number): Exact | undefined {
  const scaled = Math.round(found * 10 ** scale);
  // The file's decimals come as doubles: what is nearest is meant, where it is near.
  return Math.abs(found * 10 ** scale - scaled) <= 1e-6 * Math.max(1, Math.abs(scaled) * 1e-9) &&
    Number.isSafeInteger(scaled)
    ? add(scaled, 0)
    : undefined;
}

function textOf(found: unknown): string {
  if (found instanceof Day) return formatDate(found.days);
  if (found instanceof FileDecimal) return formatExact(found.unscaled, found.scale);
  if (found instanceof Moment) return toText(found.micros, { kind: 'timestamp' });
  return typeof found === 'object' ? JSON.stringify(found) : String(found);
}
