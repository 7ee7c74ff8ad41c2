import type { Table } from './schema.ts';

/** Where a table's rows come from. */
export type Source = NonNullable<Table['source']>;
type SourceWith<K extends string> = Extract<Source, Record<K, unknown>>;
export type FileSource = SourceWith<'file'>;
export type ConnectionSource = SourceWith<'connection'>;
export type CalendarSource = SourceWith<'calendar'>;
export type StepsSource = SourceWith<'steps'>;
export type MembersSource = SourceWith<'members'>;

/** A table, or as much of one as tells where its rows come from. */
type Sourced = { readonly source?: Source | undefined };
const sourceWith =
  <K extends string>(key: K) =>
  (table: Sourced | undefined): SourceWith<K> | undefined =>
    table?.source && key in table.source ? (table.source as SourceWith<K>) : undefined;

/** The file that a table's rows come from, and how it is read. */
export const fileOf = sourceWith('file');
/** The table of a database that a table's rows come from. */
export const connectionOf = sourceWith('connection');
/** The days of a generated calendar. */
export const calendarOf = sourceWith('calendar');
const derivedFrom = sourceWith('steps');
/** The members of a table that is typed by hand. */
export const typedMembersOf = (table: Sourced | undefined): MembersSource['members'] | undefined =>
  sourceWith('members')(table)?.members;
/** The steps of a derived table; none for any other. */
export const stepsOf = (table: Sourced | undefined): StepsSource['steps'] => derivedFrom(table)?.steps ?? [];
/** Whether a table is made of others by steps. */
export const isDerived = (table: Sourced | undefined): boolean => derivedFrom(table) !== undefined;
/** Whether the rows of a table stay in their database, where they are asked by SQL. */
export const isPassedThrough = (table: Table): boolean =>
  table.held === false && connectionOf(table) !== undefined;

/** Whether a table's rows are brought in by a load, from a file or a database. */
export const isLoaded = (table: Sourced | undefined): boolean =>
  fileOf(table) !== undefined || connectionOf(table) !== undefined;

/** Whether a table's rows come from this table of a connection; a schema that is not named is none. */
export function isTableOf(
  table: Sourced,
  connection: string | undefined,
  of: { readonly schema?: string | null | undefined; readonly table: string },
): boolean {
  const source = connectionOf(table);
  return (
    source !== undefined &&
    source.connection === connection &&
    source.table === of.table &&
    (source.schema ?? null) === (of.schema ?? null)
  );
}
