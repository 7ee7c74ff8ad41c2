import type { ClickhousePlace } from './clickhouse.ts';
import { ClickhouseReader } from './clickhouse.ts';
import type { GroupedReader } from './reader.ts';
import { sqliteGroups } from './sqliteFile.ts';

/** Where a database is of whose tables groups of rows are asked for, where they are passed through. */
export type GroupedPlace =
  | ({ readonly kind: 'clickhouse' } & ClickhousePlace)
  | { readonly kind: 'sqlite'; readonly file: string };

/** A signal ends what is asked of a server; a file is read in the thread that asks. */
export const groupedReader = (place: GroupedPlace, signal?: AbortSignal): GroupedReader =>
  place.kind === 'sqlite' ? sqliteGroups(place.file) : new ClickhouseReader(place, signal);
