import type { DuckdbPlace } from '../../databases/duckdb.ts';
import { DuckdbReader } from '../../databases/duckdb.ts';
import type { MariadbPlace } from '../../databases/mariadb.ts';
import { MariadbReader } from '../../databases/mariadb.ts';
import type { PostgresqlPlace } from '../../databases/postgresql.ts';
import { PostgresqlReader } from '../../databases/postgresql.ts';
import type { DatabaseReader } from '../../databases/reader.ts';
import type { WarehouseEngine } from '../engine.ts';
import { duckdbEngine } from './duckdb.ts';
import { mariadbEngine } from './mariadb.ts';
import { postgresqlEngine } from './postgresql.ts';

/** Where a database is that can be asked where its rows lie. */
export type EnginePlace =
  | ({ readonly kind: 'postgresql' } & PostgresqlPlace)
  | ({ readonly kind: 'mariadb' } & MariadbPlace)
  | ({ readonly kind: 'duckdb' } & DuckdbPlace);

/** How each kind of database is asked, and read from. A new kind is a file each and an entry here. */
const KINDS: {
  readonly [K in EnginePlace['kind']]: {
    readonly engine: (place: Extract<EnginePlace, { kind: K }>) => WarehouseEngine;
    readonly reader: (place: Extract<EnginePlace, { kind: K }>) => DatabaseReader;
  };
} = {
  postgresql: { engine: postgresqlEngine, reader: (place) => new PostgresqlReader(place) },
  mariadb: { engine: mariadbEngine, reader: (place) => new MariadbReader(place) },
  duckdb: { engine: duckdbEngine, reader: (place) => new DuckdbReader(place) },
};

export const engineAt = (place: EnginePlace): WarehouseEngine => KINDS[place.kind].engine(place as never);
export const readerAt = (place: EnginePlace): DatabaseReader => KINDS[place.kind].reader(place as never);
