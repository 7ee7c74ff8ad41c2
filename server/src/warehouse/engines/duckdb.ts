import type { DuckDBConnection } from '@duckdb/node-api';
import type { TableData } from '@crease/core/columns';
import { DataError } from '@crease/core/query';
import type { StatementParts } from '@crease/core/sql';
import { duckdb, quoted } from '@crease/core/sql';
import { TEXT } from '@crease/core/values';
import type { DuckdbPlace } from '../../databases/duckdb.ts';
import {
  DuckdbReader,
  isDatabaseFile,
  listedTables,
  parquetRows,
  parquetTables,
  textRows,
  typeOfDuckdb,
} from '../../databases/duckdb.ts';
import { versionOfFiles } from '../../databases/fileVersion.ts';
import { DatabaseError } from '../../databases/reader.ts';
import type { PlacedRows, WarehouseEngine, WarehouseSession } from '../engine.ts';
import type { Listed, Place, Search } from '../places.ts';
import { namesOf, placesOf } from '../places.ts';
import type { PlacedColumn, Stored } from '../readColumn.ts';
import { jsonLines } from '../values.ts';

/** Rows that are read together: the length of a vector. */
const STRETCH_ROWS = 2048;
const INTEGER_DIGITS: Readonly<Record<string, number>> = { TINYINT: 3, SMALLINT: 5, INTEGER: 10 };

function storedAs(type: string): Stored {
  const declared = typeOfDuckdb(type);
  if (declared === undefined) {
    if (type === 'HUGEINT' || type === 'UHUGEINT') return { kind: 'number' };
    return { kind: /^(ENUM|UUID|CHAR)/.test(type) ? 'text' : 'other' };
  }
  switch (declared.kind) {
    case 'integer':
      return { kind: 'integer', digits: INTEGER_DIGITS[type.replace(/^U/, '')] ?? 19 };
    case 'decimal':
      return { kind: 'numeric', whole: declared.precision - declared.scale, scale: declared.scale };
    case 'double':
      return { kind: 'float' };
    default:
      return { kind: declared.kind };
  }
}

/** A stored value in the plain type of its kind: sums and products of narrow ones would leave them. */
function plain(raw: string, type: string, stored: Stored): string {
  if (stored.kind === 'integer') return type === 'BIGINT' ? raw : `cast(${raw} as bigint)`;
  if (stored.kind === 'numeric') return `cast(${raw} as decimal(38, ${stored.scale}))`;
  if (stored.kind === 'float') return type === 'DOUBLE' ? raw : `cast(${raw} as double)`;
  if (stored.kind === 'text') return type === 'VARCHAR' ? raw : `cast(${raw} as varchar)`;
  if (type === 'TIMESTAMP WITH TIME ZONE') return `(${raw} at time zone 'UTC')`;
  return stored.kind === 'timestamp' && type !== 'TIMESTAMP' ? `cast(${raw} as timestamp)` : raw;
}

const placed = ({ name, type }: { name: string; type: string }): PlacedColumn => {
  const stored = storedAs(type);
  return {
    name,
    stored,
    plain: (raw) => plain(raw, type, stored),
    ...(type === 'BLOB' ? { text: (raw: string) => `lower(hex(${raw}))` } : {}),
  };
};

/** Statements on one connection; the library ends one by being interrupted, and none is begun after it. */
class DuckdbSession implements WarehouseSession {
  private limit = Infinity;

  constructor(
    private readonly connection: DuckDBConnection,
    private readonly file: string,
    private readonly signal: AbortSignal | undefined,
  ) {}

  endAfter(milliseconds: number): Promise<void> {
    this.limit = milliseconds;
    return Promise.resolve();
  }

  /** Rows come in the order in which they lie unless the library is told otherwise. */
  inOrder(): Promise<void> {
    return Promise.resolve();
  }

  async findPlaces(search: Search): Promise<Map<string, Place>> {
    const names = new Set(namesOf(search));
    const parquet = isDatabaseFile(this.file) ? undefined : parquetTables(this.file);
    const listed = (await listedTables(this.connection)).filter((t) => names.has(t.table.toLowerCase()));
    const unique = await textRows(
      this.connection,
      `select schema_name, table_name, to_json(constraint_column_names) from duckdb_constraints()
       where constraint_type in ('PRIMARY KEY', 'UNIQUE')`,
    );
    const places: Listed[] = [];
    for (const { schema, table, isView, rows, columns } of listed) {
      const files = parquet?.get(table);
      const count = files ? await parquetRows(this.connection, files) : rows;
      places.push({
        schema,
        table,
        // Parquet files are views here, but they know what changed and how many rows they have.
        kind: files ? 'p' : isView ? 'v' : 'r',
        rows: count,
        pages: isView || rows === null ? 0 : Math.ceil(rows / STRETCH_ROWS),
        columns: columns.map(placed),
        unique: unique.flatMap((u) =>
          u[0] === schema && u[1] === table ? [JSON.parse(u[2]!) as string[]] : [],
        ),
        version: versionOfFiles(files ?? [this.file]),
        readable: true,
        visible: schema === 'main',
      });
    }
    return placesOf(search, places);
  }

  async texts(sql: string, values: readonly unknown[]): Promise<(string | null)[][]> {
    if (this.signal?.aborted) throw new DatabaseError('cancelled');
    let isLate = false;
    const timer =
      this.limit === Infinity
        ? undefined
        : setTimeout(() => {
            isLate = true;
            this.connection.interrupt();
          }, this.limit);
    try {
      return await textRows(this.connection, sql, values);
    } catch (error) {
      const { message } = error as Error;
      throw new DataError(
        isLate
          ? 'the database ended a statement that took too long'
          : `the database says: ${message.split('\n')[0]}`,
        { code: isLate ? 'limit' : 'failed' },
      );
    } finally {
      clearTimeout(timer);
    }
  }
}

/** One parameter of all rows as JSON. */
function valuesOf({ columns: all, rowCount }: TableData, text: StatementParts): string {
  const columns = [...all.values()];
  if (columns.length === 0)
    return text.keptCte('held', `select range + 1 as row_number from range(${rowCount})`);
  const json = text.value(jsonLines({ columns, rowCount }, duckdb), TEXT);
  const shape = JSON.stringify([Object.fromEntries(columns.map((_, i) => [`c${i}`, 'VARCHAR']))]);
  const named = columns.map((c, i) => `cast(v.c${i} as ${duckdb.typeName(c.type)}) as ${quoted(c.name)}`);
  return text.keptCte(
    'held',
    `select ${['row_number() over () as row_number', ...named].join(', ')} from (select unnest(from_json(cast(${json} as json), '${shape}'), recursive := true)) v`,
  );
}

const ROWS: PlacedRows = {
  dialect: duckdb,
  textType: 'varchar',
  timestampType: 'timestamp',
  matches: (text, expression) => `regexp_full_match(${text}, '${expression}')`,
  exact: (value) => `try_cast(cast(${value} as varchar) as decimal(38, 18))`,
  whole: (number) => `trunc(${number})`,
  finite: (value) => `isfinite(${value})`,
  rowId: ({ kind }) => `${kind === 'r' ? 't.rowid' : 'row_number() over ()'} as row_number`,
  isDrawn: ({ kind }) => kind === 'r',
  // By their numbers, so that each statement draws the same ones.
  part: ({ share, stretch }) =>
    stretch
      ? ` where t.rowid >= ${stretch.from * STRETCH_ROWS} and t.rowid < ${stretch.to * STRETCH_ROWS}`
      : share === undefined
        ? ''
        : ` where hash(t.rowid) % 1000000 < ${Math.round(share * 1_000_000)}`,
  valuesOf: (_table, rows, text) => valuesOf(rows, text),
};

/** A database file of DuckDB, or Parquet files as tables. */
export function duckdbEngine(place: DuckdbPlace): WarehouseEngine {
  const reader = new DuckdbReader(place);
  return {
    dialect: duckdb,
    rows: ROWS,
    within: (work, signal) =>
      reader.within((connection) => work(new DuckdbSession(connection, place.file, signal)), signal),
  };
}
