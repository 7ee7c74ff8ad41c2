import { designOfSql } from '../sources/sqlDesign.ts';
import { task } from '../threads/protocol.ts';

/** The tables that a SQL file declares. */
export const sqlDesign = task(({ sql }: { sql: string }) => designOfSql(sql));
