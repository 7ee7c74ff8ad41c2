import type { Connection } from 'mysql2/promise';
import type { TableData } from '@crease/core/columns';
import { DataError } from '@crease/core/query';
import type { StatementParts } from '@crease/core/sql';
import { mariadb, quoted } from '@crease/core/sql';
import { TEXT } from '@crease/core/values';
import type { MariadbColumn, MariadbPlace } from '../../databases/mariadb.ts';
import { isOfServer, listedTables, MariadbReader, textRows, typeOfMariadb } from '../../databases/mariadb.ts';
import type { PlacedRows, WarehouseEngine, WarehouseSession } from '../engine.ts';
import type { Listed, Place, Search } from '../places.ts';
import { namesOf, placesOf } from '../places.ts';
import type { PlacedColumn, Stored } from '../readColumn.ts';
import { jsonLines } from '../values.ts';

const INTEGER_DIGITS: Readonly<Record<string, number>> = {
  tinyint: 3,
  smallint: 5,
  mediumint: 8,
  int: 10,
  year: 4,
};
/** ER_STATEMENT_TIMEOUT and ER_QUERY_INTERRUPTED of the server. */
const ENDED = new Set([1969, 1317]);

function storedAs(column: MariadbColumn): Stored {
  const type = typeOfMariadb(column);
  switch (type?.kind) {
    case 'integer':
      return { kind: 'integer', digits: INTEGER_DIGITS[column.type] ?? 19 };
    case 'decimal':
      return { kind: 'numeric', whole: type.precision - type.scale, scale: type.scale };
    case 'double':
      return { kind: 'float' };
    case 'date':
    case 'timestamp':
    case 'text':
      return { kind: type.kind };
    default:
      return { kind: column.type === 'decimal' ? 'number' : 'other' };
  }
}

/** A stored value in the plain type of its kind; texts as they are compared here. */
function plain(raw: string, column: MariadbColumn): string {
  if (column.collation !== null) return mariadb.read(raw, TEXT);
  return column.type === 'float' ? `cast(${raw} as double)` : raw;
}

const placed = (column: MariadbColumn): PlacedColumn => ({
  name: column.name,
  stored: storedAs(column),
  plain: (raw) => plain(raw, column),
  text: (raw) =>
    /blob|binary/.test(column.type)
      ? `lower(hex(${raw}))`
      : column.collation !== null
        ? plain(raw, column)
        : `(convert(cast(${raw} as char) using utf8mb4) collate utf8mb4_nopad_bin)`,
});

/** Statements within one transaction: what the server refuses ends the statement, not the transaction. */
class MariadbSession implements WarehouseSession {
  constructor(
    private readonly connection: Connection,
    private readonly database: string,
  ) {}

  async endAfter(milliseconds: number): Promise<void> {
    await this.connection.query(`set session max_statement_time = ${(milliseconds / 1000).toFixed(3)}`);
  }

  /** Rows come in the order of their keys, which is how they lie. */
  inOrder(): Promise<void> {
    return Promise.resolve();
  }

  async findPlaces(search: Search): Promise<Map<string, Place>> {
    const names = new Set(namesOf(search));
    const listed = (await listedTables(this.connection)).filter((t) => names.has(t.table.toLowerCase()));
    const indexes = await textRows(
      this.connection,
      `select table_schema, table_name, index_name, column_name from information_schema.statistics where non_unique = 0 order by 1, 2, 3, seq_in_index`,
    );
    return placesOf(
      search,
      listed.map(({ schema, table, isView, rows, version, columns }): Listed => {
        const own = indexes.filter((i) => i[0] === schema && i[1] === table);
        const index = (name: string | null) => own.filter((i) => i[2] === name).map((i) => i[3]!);
        return {
          ...{ schema, table, rows, version, pages: 0, readable: true },
          kind: isView ? 'v' : 'r',
          columns: columns.map(placed),
          // The primary key first: it tells rows apart.
          unique: [...new Set(own.map((i) => i[2]))]
            .sort((a, b) => Number(b === 'PRIMARY') - Number(a === 'PRIMARY'))
            .map(index),
          ...(own.some((i) => i[2] === 'PRIMARY') ? { key: index('PRIMARY') } : {}),
          visible: schema === this.database,
        };
      }),
    );
  }

  async texts(sql: string, values: readonly unknown[]): Promise<(string | null)[][]> {
    try {
      return await textRows(this.connection, sql, values);
    } catch (error) {
      if (!isOfServer(error) || (error as { fatal?: boolean }).fatal) throw error;
      const isLate = ENDED.has(error.errno ?? 0);
      throw new DataError(
        isLate
          ? `the database ended a statement that took too long: ${error.message}`
          : `the database says: ${error.message}`,
        { code: isLate ? 'limit' : 'failed' },
      );
    }
  }
}

/** One parameter of all rows as JSON. */
function valuesOf({ columns: all, rowCount }: TableData, text: StatementParts): string {
  const columns = [...all.values()];
  const json = text.value(jsonLines({ columns, rowCount }, mariadb), TEXT);
  const paths = columns.map((_, i) => `c${i} longtext path '$.c${i}'`);
  const named = columns.map((c, i) => {
    const typed =
      c.type.kind === 'text' ? mariadb.read(`v.c${i}`, TEXT) : `cast(v.c${i} as ${mariadb.typeName(c.type)})`;
    return `${typed} as ${quoted(c.name)}`;
  });
  return text.keptCte(
    'held',
    `select ${['v.row_no as row_no', ...named].join(', ')} from json_table(${json}, '$[*]' columns (${['row_no for ordinality', ...paths].join(', ')})) v`,
  );
}

/** The key of a row, or its number where there is none: numbers are given anew by each statement. */
function rowIdOf({ key }: Place): string {
  if (!key || key.length === 0) return 'row_number() over ()';
  const parts = key.map((name) => `t.${quoted(name)}`);
  return parts.length === 1 ? parts[0]! : `concat_ws(',', ${parts.map((p) => `hex(${p})`).join(', ')})`;
}

const ROWS: PlacedRows = {
  dialect: mariadb,
  textType: 'char',
  timestampType: 'datetime(6)',
  // In its texts a backslash begins an escape.
  matches: (text, expression) => `${text} regexp '^${expression.replaceAll('\\.', '[.]')}$'`,
  exact: (value) => `cast(cast(${value} as char) as decimal(65, 20))`,
  whole: (number) => `truncate(${number}, 0)`,
  // The day of no month, which it keeps where it is told to.
  finite: (value) => `(month(${value}) > 0 and day(${value}) > 0)`,
  rowId: (place) => `${rowIdOf(place)} as row_no`,
  isDrawn: () => false,
  part: () => '',
  valuesOf: (_table, rows, text) => valuesOf(rows, text),
};

/** A server of MariaDB, asked within one read-only transaction. */
export function mariadbEngine(place: MariadbPlace): WarehouseEngine {
  const reader = new MariadbReader(place);
  return {
    dialect: mariadb,
    rows: ROWS,
    within: (work, signal) =>
      reader.within((connection) => work(new MariadbSession(connection, place.database)), signal),
  };
}
