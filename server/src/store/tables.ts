import { formatType, parseType, TEXT } from '@crease/core/values';
import type { Column, EncodingName, Misfits, ReadProblem, TableData } from '@crease/core/columns';
import { codesArray, columnOfCodes, decodeDomain, decodeSegment, encodeDomain, encodeSegments, tableOf } from '@crease/core/columns';
import type { Connection } from './database.ts';

/** A stored table without its rows. */
export interface StoredTableInfo {
  readonly id: number;
  readonly key: string;
  readonly rows: number;
  readonly bytes: number;
  readonly problems: readonly ReadProblem[];
  readonly loadedAt: string;
}

/** The key of a table's rows within its model: its file, which stays when the table gets another name. */
export const sourceKey = (table: { source?: object; name: string }): string =>
  table.source && 'file' in table.source ? String(table.source.file).toLowerCase() : `table:${table.name.toLowerCase()}`;

/** Encoded rows in the workspace: written segment by segment, visible only when whole. */
export class Tables {
  constructor(private readonly db: Connection) {}

  /**
   * Writes a table's columns and makes them the rows of its key in place of any before. Each column is a transaction of its own,
   * so that others can write in between; the last one makes the new rows visible. A kill before it leaves the old rows as they were.
   */
  write(modelId: number, key: string, table: TableData, now = new Date()): number {
    const lines =
      table.lineOf && table.rowCount > 0 ? Uint32Array.from({ length: table.rowCount }, (_, row) => table.lineOf!(row)) : undefined;
    const first = lines?.[0] ?? 0;
    const regular = !lines || lines.every((line, row) => line === first + row);
    const sql = `insert into stored_table (model_id, source_key, state, rows, problems, misfits, lines, first_line, loaded_at) values (?, ?, 'loading', ?, ?, ?, ?, ?, ?)`;
    const id = Number(
      this.db
        .prepare(sql)
        .run(
          modelId,
          key,
          table.rowCount,
          JSON.stringify(table.problems),
          JSON.stringify([...table.misfits]),
          regular ? null : Buffer.from(lines.buffer),
          first,
          now.toISOString(),
        ).lastInsertRowid,
    );
    [...table.columns.values()].forEach((column, ordinal) => this.writeColumn(id, ordinal, column));
    this.db.transaction(() => {
      this.db.prepare(`delete from stored_table where model_id = ? and source_key = ? and state = 'ready'`).run(modelId, key);
      this.db.prepare(`update stored_table set state = 'ready' where id = ?`).run(id);
    })();
    return id;
  }

  private writeColumn(tableId: number, ordinal: number, column: Column): void {
    this.db.transaction(() => {
      const added = this.db
        .prepare('insert into stored_column (table_id, ordinal, name, type, domain) values (?, ?, ?, ?, ?)')
        .run(tableId, ordinal, column.name, formatType(column.type), Buffer.from(encodeDomain(column.domain, column.type)));
      const insert = this.db.prepare('insert into segment (column_id, ordinal, rows, encoding, bytes) values (?, ?, ?, ?, ?)');
      encodeSegments(column.codes).forEach((segment, i) =>
        insert.run(added.lastInsertRowid, i, segment.rows, segment.encoding, Buffer.from(segment.bytes)),
      );
    })();
  }

  /** Removes what a load left behind that never came to its end. Called once at the start, when no load can be running. */
  dropUnfinished(): number {
    return this.db.prepare(`delete from stored_table where state = 'loading'`).run().changes;
  }

  dropLoading(modelId: number, key: string): void {
    this.db.prepare(`delete from stored_table where model_id = ? and source_key = ? and state = 'loading'`).run(modelId, key);
  }

  list(modelId: number): StoredTableInfo[] {
    const rows = this.db
      .prepare(
        `select t.id, t.source_key as key, t.rows, t.problems, t.loaded_at as loadedAt,
           (select coalesce(sum(length(c.domain)), 0) from stored_column c where c.table_id = t.id)
           + (select coalesce(sum(length(s.bytes)), 0) from segment s join stored_column c on c.id = s.column_id where c.table_id = t.id) as bytes
         from stored_table t where t.model_id = ? and t.state = 'ready' order by t.id`,
      )
      .all(modelId) as (Omit<StoredTableInfo, 'problems'> & { problems: string })[];
    return rows.map((row) => ({ ...row, problems: JSON.parse(row.problems) as ReadProblem[] }));
  }

  /** Ids of the rows that a model has now, by key: what verdicts and answers rest on. */
  versions(modelId: number): Record<string, number> {
    const rows = this.db.prepare(`select id, source_key as key from stored_table where model_id = ? and state = 'ready'`).all(modelId) as {
      id: number;
      key: string;
    }[];
    return Object.fromEntries(rows.map((row) => [row.key, row.id]));
  }

  /** Decodes a stored table. `name` is what the model calls it. */
  read(id: number, name: string): TableData {
    const row = this.db.prepare('select rows, problems, misfits, lines, first_line from stored_table where id = ?').get(id) as {
      rows: number;
      problems: string;
      misfits: string;
      lines: Buffer | null;
      first_line: number;
    };
    const columns = this.db.prepare('select id, name, type, domain from stored_column where table_id = ? order by ordinal').all(id) as {
      id: number;
      name: string;
      type: string;
      domain: Buffer;
    }[];
    const lines = row.lines
      ? new Uint32Array(row.lines.buffer.slice(row.lines.byteOffset, row.lines.byteOffset + row.lines.byteLength))
      : undefined;
    return tableOf(
      name,
      columns.map((column) => this.readColumn(column, row.rows)),
      {
        rowCount: row.rows,
        problems: JSON.parse(row.problems) as ReadProblem[],
        misfits: new Map(JSON.parse(row.misfits) as [string, Misfits][]),
        lineOf: lines ? (r) => lines[r]! : (r) => r + row.first_line,
      },
    );
  }

  private readColumn(column: { id: number; name: string; type: string; domain: Buffer }, rows: number): Column {
    const domain = decodeDomain(column.domain);
    const codes = codesArray(domain.size, rows);
    let at = 0;
    for (const segment of this.db
      .prepare('select rows, encoding, bytes from segment where column_id = ? order by ordinal')
      .iterate(column.id) as IterableIterator<{ rows: number; encoding: EncodingName; bytes: Buffer }>) {
      decodeSegment(segment, codes, at);
      at += segment.rows;
    }
    return columnOfCodes(column.name, parseType(column.type) ?? TEXT, domain, codes);
  }
}
