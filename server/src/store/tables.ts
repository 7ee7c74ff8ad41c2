import { deflateRawSync } from 'node:zlib';
import type { DataType } from '@crease/core/values';
import { formatType } from '@crease/core/values';
import type {
  EncodedSegment,
  KeepCodes,
  Misfits,
  ReadProblem,
  StoredSegment,
  TableData,
} from '@crease/core/columns';
import { combineTables, tableOf } from '@crease/core/columns';
import type { Connection } from './database.ts';
import { RowVersions } from './rowVersions.ts';
import { replacedMeanwhile, StoredColumns } from './storedColumns.ts';
import type { Partition, Table } from '@crease/core/model';
import { connectionOf, fileOf } from '@crease/core/model';
import { BYTES_OF_TABLES } from './bytes.ts';

/** A stored table without its rows: all parts of it together. */
export interface StoredTableInfo {
  readonly key: string;
  readonly parts: readonly StoredPart[];
  readonly rows: number;
  readonly bytes: number;
  readonly problems: readonly ReadProblem[];
  readonly loadedAt: string;
}

/** One part of a table's rows, as it was loaded. */
export interface StoredPart {
  readonly name: string;
  readonly rows: number;
  readonly bytes: number;
  readonly loadedAt: string;
  /** The file or database table that its rows were read from, where that is known. */
  readonly source: string | null;
  /** How long its load took, with the other parts of the load; milliseconds. */
  readonly tookMs: number | null;
}

/** A part that is a table's now. */
export interface CurrentPart {
  readonly id: number;
  readonly part: string;
  readonly rows: number;
  /** By what its rows were parted (see `partedBy`); null for a part that somebody named. */
  readonly partedBy: string | null;
}

/** The rule by which a part's rows were chosen, as it is kept with it. */
export const partedBy = ({ by, every }: Pick<Partition, 'by' | 'every'>): string =>
  JSON.stringify([by.toLowerCase(), every]);

/**
 * What of a table's rows a load takes the place of: all of them, or one part, which need not be there yet.
 */
export type Replaces = 'all' | { readonly part: string };

/** Rows that are written and not visible yet, and parts that go without others in their place. */
export interface ComingRows {
  readonly tables: readonly {
    readonly tableId: number;
    readonly misfits: TableData['misfits'];
    readonly replaces: Replaces;
  }[];
  readonly gone: readonly string[];
}

/** What is known of a table before its columns are written. */
export interface TableFacts {
  readonly rowCount: number;
  readonly problems: readonly ReadProblem[];
  /** The file's line of the first row. */
  readonly firstLine: number;
  /** Line of each row, where row k is not on line `firstLine` + k. */
  readonly lines: Uint32Array | undefined;
}

/** A column as the workspace holds it. */
export interface EncodedColumn {
  readonly name: string;
  /** Its name where it came from, if another. */
  readonly sourceName?: string | undefined;
  readonly type: DataType;
  readonly domain: Uint8Array;
  readonly nulls: number;
  readonly distinct: number;
  readonly runs: number;
  /** Rows whose whole number its file wrote with zeros in front; by default none. */
  readonly padded?: number;
  readonly segments: readonly StoredSegment[];
  /** Rows per code, laid out like a segment; left out for very large domains. */
  readonly counts: EncodedSegment | undefined;
}

const idsOf = (version: string): number[] => version.split('+').map(Number);

const bytesOf = (bytes: Uint8Array): Buffer => Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** What is written in one transaction, so that an edit in between waits for no more. */
const WRITTEN_BYTES = 8 << 20;

/** Smaller dictionaries are not worth the work. */
const DEFLATED_BYTES = 1 << 12;

/**
 * A dictionary as it lies in the file: deflated where that is smaller. Its texts share much; packed codes
 * would not gain.
 */
export function restingDomain(domain: Uint8Array): { bytes: Buffer; deflated: number } {
  const plain = bytesOf(domain);
  if (plain.length < DEFLATED_BYTES) return { bytes: plain, deflated: 0 };
  const deflated = deflateRawSync(plain, { level: 1 });
  return deflated.length < plain.length ? { bytes: deflated, deflated: 1 } : { bytes: plain, deflated: 0 };
}

/**
 * The key of a table's rows within its model: its file or its table in a database, which stay when the table
 * gets another name.
 */
export function sourceKey(table: Pick<Table, 'name' | 'source'>): string {
  const file = fileOf(table);
  if (file) return file.file.toLowerCase();
  const place = connectionOf(table);
  if (place) return `connection:${JSON.stringify([place.connection, place.schema ?? '', place.table])}`;
  return `table:${table.name.toLowerCase()}`;
}

/** Encoded rows in the workspace: written segment by segment, visible only when whole. */
export class Tables {
  /** Which parts are the rows of a model now, and which were before. */
  readonly rows: RowVersions;
  private readonly columns: StoredColumns;

  /**
   * `kept` keeps decoded codes by a key that no other column of any workspace has; by default columns keep
   * their own.
   */
  constructor(
    private readonly db: Connection,
    private readonly kept?: KeepCodes,
    now: () => Date = () => new Date(),
  ) {
    this.rows = new RowVersions(db, now);
    this.columns = new StoredColumns(db, kept);
  }

  /**
   * Opens a table that is not visible yet. Each column is a transaction of its own, so that others can write
   * in between; `finish` makes the new rows visible. A kill before it leaves the old rows as they were.
   */
  begin(
    modelId: number,
    key: string,
    facts: TableFacts,
    replaces: Replaces = 'all',
    now = new Date(),
  ): number {
    const sql = `insert into stored_table (model_id, source_key, part, state, rows, problems, misfits, lines, first_line, loaded_at) values (?, ?, ?, 'loading', ?, ?, '[]', ?, ?, ?)`;
    const part = replaces === 'all' ? '' : replaces.part;
    const lines = facts.lines
      ? Buffer.from(facts.lines.buffer, facts.lines.byteOffset, facts.lines.byteLength)
      : null;
    const added = this.db
      .prepare(sql)
      .run(
        modelId,
        key,
        part,
        facts.rowCount,
        JSON.stringify(facts.problems),
        lines,
        facts.firstLine,
        now.toISOString(),
      );
    return Number(added.lastInsertRowid);
  }

  /**
   * Writes a column of a table that is not visible yet, a few segments at a time, so that others can write in
   * between.
   */
  addColumn(tableId: number, ordinal: number, column: EncodedColumn): void {
    const columnId = this.addColumnHead(tableId, ordinal, column);
    const insert = this.db.prepare(
      'insert into segment (column_id, ordinal, rows, encoding, bytes) values (?, ?, ?, ?, ?)',
    );
    const all = column.segments;
    for (let at = 0; at < all.length;) {
      const first = at;
      this.db
        .transaction(() => {
          for (let bytes = 0; at < all.length && (at === first || bytes < WRITTEN_BYTES); at++) {
            const { rows, encoding, bytes: own } = all[at]!;
            insert.run(columnId, at, rows, encoding, bytesOf(own));
            bytes += own.byteLength;
          }
        })
        .immediate();
    }
  }

  private addColumnHead(tableId: number, ordinal: number, column: EncodedColumn): number | bigint {
    const domain = restingDomain(column.domain);
    return this.db
      .prepare(
        `insert into stored_column (table_id, ordinal, name, source_name, type, domain, domain_deflated, nulls, distinct_values, runs, padded, counts, counts_encoding)
         values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
      )
      .run(
        tableId,
        ordinal,
        column.name,
        column.sourceName ?? column.name,
        formatType(column.type),
        domain.bytes,
        domain.deflated,
        column.nulls,
        column.distinct,
        column.runs,
        column.padded ?? 0,
        column.counts ? bytesOf(column.counts.bytes) : null,
        column.counts?.encoding ?? null,
      ).lastInsertRowid;
  }

  /**
   * Makes a table the rows of its key in place of what it replaces, which is kept for undo. Within a
   * transaction of the caller, so that what is visible together becomes visible together. Throws PartsError
   * for a part whose columns are not those of the others.
   */
  finish(id: number, misfits: TableData['misfits'], replaces: Replaces = 'all'): void {
    const { modelId, key } = this.placeOf(id);
    this.finishAll(modelId, key, { tables: [{ tableId: id, misfits, replaces }], gone: [] });
  }

  /** The same for several tables, and for parts that go without others in their place. */
  finishAll(modelId: number, key: string, { tables, gone }: ComingRows): void {
    this.db
      .transaction(() => {
        for (const part of gone) this.rows.retire(modelId, key, part);
        for (const { replaces } of tables)
          this.rows.retire(modelId, key, replaces === 'all' ? undefined : replaces.part);
        for (const { tableId, misfits } of tables) {
          this.setMisfits(tableId, misfits);
          this.db.prepare(`update stored_table set state = 'ready' where id = ?`).run(tableId);
        }
        const version = this.versions(modelId)[key];
        if (version !== undefined && tables.some(({ replaces }) => replaces !== 'all'))
          this.checkAlike(idsOf(version), key);
      })
      .immediate();
  }

  /** Throws PartsError where a part that is to come has other columns than those that stay. */
  checkFits(id: number, replaces: Replaces): void {
    if (replaces === 'all') return;
    const { modelId, key } = this.placeOf(id);
    const others = this.currentParts(modelId, key).filter(({ part }) => part !== replaces.part);
    this.checkAlike([...others.map((o) => o.id), id], key);
  }

  /**
   * Versions of a model's rows as they would be with others that are not visible yet, which can be read under
   * them; their misfits are written down for whoever reads them.
   */
  versionsWith(
    modelId: number,
    coming: readonly { readonly key: string; readonly rows: ComingRows }[],
  ): Record<string, string> {
    const versions = { ...this.versions(modelId) };
    for (const { key, rows } of coming) {
      const isReplaced = (part: string) =>
        rows.gone.includes(part) ||
        rows.tables.some(({ replaces }) => replaces === 'all' || replaces.part === part);
      for (const { tableId, misfits } of rows.tables) this.setMisfits(tableId, misfits);
      const stay = this.currentParts(modelId, key).filter(({ part }) => !isReplaced(part));
      const ids = [...stay.map(({ id }) => id), ...rows.tables.map(({ tableId }) => tableId)];
      if (ids.length === 0) delete versions[key];
      else versions[key] = ids.sort((a, b) => a - b).join('+');
    }
    return versions;
  }

  private placeOf(id: number): { modelId: number; key: string } {
    return this.db
      .prepare('select model_id as modelId, source_key as key from stored_table where id = ?')
      .get(id) as { modelId: number; key: string };
  }

  /** The parts that a table's rows are now, in the order of loading. */
  currentParts(modelId: number, key: string): CurrentPart[] {
    return this.db
      .prepare(
        `select id, part, rows, parted_by as partedBy from stored_table where model_id = ? and source_key = ? and state = 'ready' and retired_at is null order by id`,
      )
      .all(modelId, key) as CurrentPart[];
  }

  private checkAlike(ids: readonly number[], key: string): void {
    combineTables(
      key,
      ids.map((part) => this.readPart(part, key)),
    );
  }

  private setMisfits(id: number, misfits: TableData['misfits']): void {
    this.db.prepare(`update stored_table set misfits = ? where id = ?`).run(
      JSON.stringify([...misfits], (key, value: unknown) => (key === 'all' ? undefined : value)),
      id,
    );
  }

  /** Says by what the rows of a part were chosen. */
  setPartedBy(id: number, rule: string): void {
    this.db.prepare('update stored_table set parted_by = ? where id = ?').run(rule, id);
  }

  /** Says what rows were read from, and how long that took, in milliseconds, where that is known. */
  setOrigin(id: number, source: string, tookMs: number | null): void {
    this.db
      .prepare('update stored_table set source = ?, took_ms = ? where id = ?')
      .run(source, tookMs === null ? null : Math.round(tookMs), id);
  }

  /** Records that became no row of a stored table, visible or not. */
  problemsOf(id: number): ReadProblem[] {
    const text = this.db.prepare('select problems from stored_table where id = ?').pluck().get(id) as
      | string
      | undefined;
    return text === undefined ? [] : (JSON.parse(text) as ReadProblem[]);
  }

  /** Takes a table away that has not become visible. */
  drop(id: number): void {
    this.db.prepare(`delete from stored_table where id = ? and state = 'loading'`).run(id);
  }

  /**
   * Removes what a load left behind that never came to its end. Called once at the start, when no load can be
   * running.
   */
  dropUnfinished(): number {
    return this.db.prepare(`delete from stored_table where state = 'loading'`).run().changes;
  }

  list(modelId: number): StoredTableInfo[] {
    const rows = this.db
      .prepare(
        `select t.source_key as key, t.part as name, t.rows, t.problems, t.loaded_at as loadedAt, t.source, t.took_ms as tookMs,
           coalesce(s.bytes, 0) as bytes
         from stored_table t left join (${BYTES_OF_TABLES}) s on s.table_id = t.id where t.model_id = ? and t.state = 'ready' and t.retired_at is null order by t.id`,
      )
      .all(modelId) as (StoredPart & { key: string; problems: string })[];
    const byKey = new Map<string, StoredTableInfo>();
    for (const { key, problems, ...part } of rows) {
      const { rows: count, loadedAt, bytes } = part;
      const known = byKey.get(key) ?? { key, parts: [], rows: 0, bytes: 0, problems: [], loadedAt };
      byKey.set(key, {
        key,
        parts: [...known.parts, part],
        rows: known.rows + count,
        bytes: known.bytes + bytes,
        problems: [...known.problems, ...(JSON.parse(problems) as ReadProblem[])],
        loadedAt: loadedAt > known.loadedAt ? loadedAt : known.loadedAt,
      });
    }
    return [...byKey.values()];
  }

  /** Rows of a key, all parts together. */
  rowCount(modelId: number, key: string): number {
    const sql = `select coalesce(sum(rows), 0) as rows from stored_table where model_id = ? and source_key = ? and state = 'ready' and retired_at is null`;
    return (this.db.prepare(sql).get(modelId, key) as { rows: number }).rows;
  }

  /** Rows of one part of a key. */
  partRows(modelId: number, key: string, part: string): number {
    const sql = `select coalesce(sum(rows), 0) as rows from stored_table where model_id = ? and source_key = ? and part = ? and state = 'ready' and retired_at is null`;
    return (this.db.prepare(sql).get(modelId, key, part) as { rows: number }).rows;
  }

  /**
   * Copies the rows of a key to another model, in place of those that it has there; nothing where there are
   * none, or where they are there already.
   */
  copyRows(from: { modelId: number; key: string }, to: { modelId: number; key: string }): boolean {
    const { db } = this;
    const version = this.versions(from.modelId)[from.key];
    if (version === undefined) return false;
    const known = db
      .prepare(
        `select copied_from as version from stored_table where model_id = ? and source_key = ? and state = 'ready' and retired_at is null`,
      )
      .get(to.modelId, to.key) as { version: string | null } | undefined;
    if (known?.version === version) return false;
    db.transaction(() => {
      this.rows.retire(to.modelId, to.key);
      for (const id of idsOf(version)) this.copyPart(id, to, version);
    }).immediate();
    return true;
  }

  private copyPart(id: number, to: { modelId: number; key: string }, version: string): void {
    const { db } = this;
    const copied = (sql: string, ...values: unknown[]) =>
      Number(db.prepare(sql).run(...values).lastInsertRowid);
    const table = copied(
      `insert into stored_table (model_id, source_key, part, state, rows, problems, misfits, lines, first_line, loaded_at, copied_from, parted_by, source, took_ms)
       select ?, ?, part, state, rows, problems, misfits, lines, first_line, loaded_at, ?, parted_by, source, took_ms
       from stored_table where id = ?`,
      to.modelId,
      to.key,
      version,
      id,
    );
    const columns = db
      .prepare('select id from stored_column where table_id = ? order by ordinal')
      .all(id) as { id: number }[];
    for (const column of columns) {
      const made = copied(
        `insert into stored_column (table_id, ordinal, name, source_name, type, domain, domain_deflated, nulls, distinct_values, runs, padded, counts, counts_encoding)
         select ?, ordinal, name, source_name, type, domain, domain_deflated, nulls, distinct_values, runs, padded, counts, counts_encoding
         from stored_column where id = ?`,
        table,
        column.id,
      );
      db.prepare(
        'insert into segment (column_id, ordinal, rows, encoding, bytes) select ?, ordinal, rows, encoding, bytes from segment where column_id = ?',
      ).run(made, column.id);
    }
  }

  /** The rows that a model has now, by key, as the ids of their parts: what verdicts and answers rest on. */
  versions(modelId: number): Record<string, string> {
    return this.rows.versions(modelId);
  }

  /** Decodes the rows of a version. `name` is what the model calls the table. */
  read(version: string, name: string): TableData {
    const { kept, db } = this;
    const parts = idsOf(version).map((id) => this.readPart(id, name));
    return combineTables(
      name,
      parts,
      kept && ((column, make) => kept(`${db.name}\n${version}\n${column}`, make)),
    );
  }

  private readPart(id: number, name: string): TableData {
    const row = this.db
      .prepare(
        'select rows, problems, misfits, lines is not null as has_lines, first_line from stored_table where id = ?',
      )
      .get(id) as {
      rows: number;
      problems: string;
      misfits: string;
      has_lines: number;
      first_line: number;
    };
    const columns = this.columns.of(id);
    let lines: Uint32Array | undefined;
    return tableOf(
      name,
      columns.map((column) => this.columns.read(column, row.rows)),
      {
        rowCount: row.rows,
        problems: JSON.parse(row.problems) as ReadProblem[],
        misfits: new Map((JSON.parse(row.misfits) as [string, StoredMisfits][]).map(misfitsOfStored)),
        sourceNames: new Map(
          columns.map((c) => [c.name.toLowerCase(), (c.source_name ?? c.name).toLowerCase()]),
        ),
        lineOf: row.has_lines ? (r) => (lines ??= this.linesOf(id))[r]! : (r) => r + row.first_line,
      },
    );
  }

  /** The line of each row of a part, where they do not follow each other. */
  private linesOf(id: number): Uint32Array {
    const found = this.db.prepare('select lines from stored_table where id = ?').get(id) as
      | { lines: Buffer }
      | undefined;
    if (!found) throw replacedMeanwhile();
    const { lines } = found;
    return new Uint32Array(lines.buffer.slice(lines.byteOffset, lines.byteOffset + lines.byteLength));
  }
}

/** Misfits as they lie in a workspace; before lines were kept, each text had its first one. */
type StoredMisfits = Omit<Misfits, 'sample'> & {
  readonly sample: readonly { text: string; rows: number; line?: number; lines?: readonly number[] }[];
};

const misfitsOfStored = ([column, misfits]: [string, StoredMisfits]): [string, Misfits] => [
  column,
  {
    ...misfits,
    sample: misfits.sample.map(({ text, rows, line, lines }) => ({
      text,
      rows,
      lines: lines ?? (line === undefined ? [] : [line]),
    })),
  },
];
