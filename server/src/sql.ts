/** What the command line needs to answer in SQL. */
export * from './sources/sqliteDatabase.ts';
export { writeSqlite } from './sources/writeSqlite.ts';
