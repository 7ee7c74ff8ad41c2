import type { TableName } from '../databases/reader.ts';
import type { SqliteDraw } from '../databases/sqliteFile.ts';
import {
  sqliteAbout,
  sqliteDraw,
  sqliteRights,
  sqliteTables,
  sqliteVersion,
} from '../databases/sqliteFile.ts';
import { task } from '../threads/protocol.ts';

// What is asked of a SQLite file.

interface OfFile {
  readonly file: string;
}

export const sqliteFileVersion = task(({ file }: OfFile) => sqliteVersion(file));
export const sqliteFileTables = task(({ file }: OfFile) => sqliteTables(file));
export const sqliteFileRights = task(({ file }: OfFile) => sqliteRights(file));
/** What the file declares of a table. */
export const sqliteFileTable = task(({ file, table }: OfFile & { table: TableName }) =>
  sqliteAbout(file, table),
);
/** Writes rows of a table as delimited text. */
export const extractSqlite = task((input: SqliteDraw) => sqliteDraw(input));
