import { createReadStream, createWriteStream, existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { randomBytes, randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { PassThrough } from 'node:stream';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import type { UploadState } from '@crease/contract';
import type { DatabaseReader, DrawnColumn, TableName } from '../databases/reader.ts';
import { ServerError } from '../errors.ts';
import { systemFault } from '../systemFault.ts';
import { WorkFault } from '../threads/workFault.ts';
import { Bounded, Counted } from './inflow.ts';
import { isGzip, isParquet } from '../sources/fileTable.ts';

/**
 * A table of a database on its way in: its rows are drawn when they are taken in, until then there is a
 * sample.
 */
export interface Origin extends TableName {
  readonly connection: string;
  readonly columns: readonly DrawnColumn[];
  /** As far as the database knows. */
  readonly rows: number | null;
  readonly nullText: string;
}

interface Entry {
  readonly state: UploadState;
  readonly origin?: Origin;
  /** Of a file that lies where its owner keeps it. */
  readonly path?: string;
}

/**
 * What comes, by a stream that may be ended without ending the request that it comes with: the answer still
 * goes out on that.
 */
function standingSource(content: Readable): PassThrough {
  const kept = new PassThrough();
  const brokenOff = () => void (content.readableEnded || kept.destroy(new Error('it broke off')));
  content.once('error', brokenOff).once('close', brokenOff);
  return content.pipe(kept);
}

const UPLOAD_ID = /^[0-9a-f-]{36}$/;
const TABLE_FILE = /\.((csv|tsv|txt)(\.gz)?|parquet)$/i;
/** Rows of a database that are looked at before anything is stored. */
export const SAMPLED_ROWS = 20_000;

/** What has come and waits to be looked at and taken in: files as they are, tables of databases as text. */
export class Uploads {
  private readonly states = new Map<string, Entry>();

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
    const { path, state } = this.entry(id);
    return path ?? this.pathOf(id, state.name);
  }

  /** Works on a file. What fails names it as the person does, not as it is stored. */
  async withFile<T>(id: string, work: (file: string) => Promise<T>): Promise<T> {
    const file = this.file(id);
    try {
      return await work(file);
    } catch (error) {
      if (!(error instanceof WorkFault)) throw error;
      throw new WorkFault(error.message.replaceAll(basename(file), this.entry(id).state.name), error.fault);
    }
  }

  private entry(id: string): Entry {
    const entry = this.states.get(id);
    if (!UPLOAD_ID.test(id) || !entry || !existsSync(entry.path ?? this.pathOf(id, entry.state.name)))
      throw new ServerError('not-found', 'what came is no longer here: choose it again');
    return entry;
  }

  /** Writes a file to disk as it comes, whatever its size. */
  async receive(given: string, content: Readable): Promise<UploadState> {
    const name = given.replace(/^.*[\\/]/, '').slice(0, 200);
    if (!TABLE_FILE.test(name))
      throw new ServerError(
        'cannot-read',
        `${name || 'the file'} cannot be imported: files that end in .csv, .tsv or .txt, in one of these and .gz, or in .parquet can be imported`,
      );
    const id = randomUUID();
    const path = this.pathOf(id, name);
    const kept = standingSource(content);
    try {
      // What a gzip file holds is kept, so that it can be read in pieces.
      const counted = new Counted();
      const to = createWriteStream(`${path}.part`);
      if (isGzip(name))
        await pipeline(kept, counted, createGunzip(), new Bounded(name, this.folder, counted), to);
      else await pipeline(kept, new Bounded(name, this.folder), to);
    } catch (error) {
      rmSync(`${path}.part`, { force: true });
      // Who sends hears the answer only once all has been taken from the line.
      content.unpipe(kept);
      content.resume();
      if (error instanceof ServerError || systemFault(error)) throw error;
      const { code = '' } = error as NodeJS.ErrnoException;
      throw new ServerError(
        'cannot-read',
        code.startsWith('Z_')
          ? `${name} is no gzip file that can be read: it is damaged, or ends too early`
          : `${name} did not arrive whole: send it again`,
      );
    }
    renameSync(`${path}.part`, path);
    const state = { id, name, bytes: statSync(path).size };
    this.states.set(id, { state });
    return state;
  }

  /** Takes a file of this machine as it is, which stays when it has been taken in. */
  async adopt(path: string): Promise<UploadState> {
    const name = basename(path);
    // What a gzip file holds is to be read in pieces: that takes a copy.
    if (isGzip(name)) return this.receive(name, createReadStream(path));
    if (!TABLE_FILE.test(name))
      throw new ServerError(
        'cannot-read',
        `${name} is no file of a table: its name must end in .csv, .tsv, .txt or .parquet`,
      );
    const state = { id: randomUUID(), name, bytes: statSync(path).size };
    this.states.set(state.id, { state, path });
    return state;
  }

  /** Draws a sample of a database's table. */
  async sample(connection: string, reader: DatabaseReader, table: TableName): Promise<UploadState> {
    const id = randomUUID();
    const path = this.pathOf(id, '');
    // Nobody writes this by chance; an empty text is a value of a database, not null.
    const nullText = `\u2400${randomBytes(4).toString('hex')}`;
    try {
      const { columns, rows } = await reader.about(table);
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
    if (this.entry(id).path === undefined) await rm(this.file(id), { force: true });
    this.states.delete(id);
  }
}
