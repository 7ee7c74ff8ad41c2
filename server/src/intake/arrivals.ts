import { createWriteStream, existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { randomBytes, randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import type { UploadState } from '@crease/contract';
import type { DatabaseReader, DrawnColumn, TableName } from '../databases/reader.ts';
import { ServerError } from '../errors.ts';
import { isGzip, isParquet } from '../sources/fileTable.ts';

/** A table of a database on its way in: its rows are drawn when they are taken in, until then there is a sample. */
export interface Origin extends TableName {
  readonly connection: string;
  readonly columns: readonly DrawnColumn[];
  /** As far as the database knows. */
  readonly rows: number | null;
  readonly nullText: string;
}

const ARRIVAL_ID = /^[0-9a-f-]{36}$/;
const TABLE_FILE = /\.((csv|tsv|txt)(\.gz)?|parquet)$/i;
/** Rows of a database that are looked at before anything is stored. */
export const SAMPLED_ROWS = 20_000;

/** What has come and waits to be looked at and taken in: files as they are, tables of databases as text. */
export class Arrivals {
  private readonly states = new Map<string, { state: UploadState; origin?: Origin }>();

  constructor(private readonly folder: string) {}

  private pathOf(id: string, name: string): string {
    return join(this.folder, isParquet(name) ? `${id}.parquet` : id);
  }

  state(id: string): UploadState {
    return this.entry(id).state;
  }

  origin(id: string): Origin | undefined {
    return this.entry(id).origin;
  }

  file(id: string): string {
    return this.pathOf(id, this.entry(id).state.name);
  }

  private entry(id: string): { state: UploadState; origin?: Origin } {
    const entry = this.states.get(id);
    if (!ARRIVAL_ID.test(id) || !entry || !existsSync(this.pathOf(id, entry.state.name)))
      throw new ServerError('not-found', 'what came is no longer here: choose it again');
    return entry;
  }

  /** Writes a file to disk as it comes, whatever its size. */
  async receive(given: string, content: Readable): Promise<UploadState> {
    const name = given.replace(/^.*[\\/]/, '').slice(0, 200);
    if (!TABLE_FILE.test(name))
      throw new ServerError(
        'cannot-read',
        `${name || 'the file'} is no file of a table: files that end in .csv, .tsv or .txt, in one of these and .gz, or in .parquet can be brought in`,
      );
    const id = randomUUID();
    const path = this.pathOf(id, name);
    try {
      // What a gzip file holds is kept, so that it can be read in pieces.
      if (isGzip(name)) await pipeline(content, createGunzip(), createWriteStream(`${path}.part`));
      else await pipeline(content, createWriteStream(`${path}.part`));
    } catch (error) {
      rmSync(`${path}.part`, { force: true });
      throw new ServerError('cannot-read', `${name} did not arrive whole: ${(error as Error).message}`);
    }
    renameSync(`${path}.part`, path);
    const state = { id, name, bytes: statSync(path).size };
    this.states.set(id, { state });
    return state;
  }

  /** Draws a sample of a database's table. */
  async sample(connection: string, reader: DatabaseReader, table: TableName, rows: number | null): Promise<UploadState> {
    const id = randomUUID();
    const path = this.pathOf(id, '');
    // Nobody writes this by chance; an empty text is a value of a database, not null.
    const nullText = `\u2400${randomBytes(4).toString('hex')}`;
    try {
      const columns = await reader.columns(table);
      await reader.draw(table, path, {
        nullText,
        columns: columns.map((c) => c.name),
        limit: SAMPLED_ROWS,
        signal: new AbortController().signal,
        onBytes: () => undefined,
      });
      const { schema } = table;
      const origin = { connection, ...(schema === undefined ? {} : { schema }), table: table.table };
      const state = { id, name: table.table, bytes: statSync(path).size, origin: { ...origin, rows } };
      this.states.set(id, { state, origin: { ...origin, columns, rows, nullText } });
      return state;
    } catch (error) {
      await rm(path, { force: true });
      throw error;
    }
  }

  async drop(id: string): Promise<void> {
    await rm(this.file(id), { force: true });
    this.states.delete(id);
  }
}
