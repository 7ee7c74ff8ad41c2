import type { ClickhousePlace } from './clickhouse.ts';
import { ClickhouseReader } from './clickhouse.ts';
import type { DatabaseReader, GroupedReader } from './reader.ts';
import { sqliteGroups, sqliteTables } from './sqliteFile.ts';

/** Where a database is of whose tables groups of rows are asked for, where they are passed through. */
export type GroupedPlace =
  | ({ readonly kind: 'clickhouse' } & ClickhousePlace)
  | { readonly kind: 'sqlite'; readonly file: string };

export const isGroupedPlace = (place: { readonly kind: string }): place is GroupedPlace =>
  place.kind === 'clickhouse' || place.kind === 'sqlite';

/** A signal ends what is asked of a server; a file is read in the thread that asks. */
export const groupedReader = (place: GroupedPlace, signal?: AbortSignal): GroupedReader =>
  place.kind === 'sqlite' ? sqliteGroups(place.file) : new ClickhouseReader(place, signal);

/** What tables there are, and what each of them has. */
export type Catalog = Pick<DatabaseReader, 'tables' | 'about'>;

export const groupedCatalog = (place: GroupedPlace): Catalog =>
  place.kind === 'sqlite'
    ? {
        tables: () => Promise.resolve(sqliteTables(place.file)),
        about: (table) => sqliteGroups(place.file).about(table),
      }
    : new ClickhouseReader(place);
