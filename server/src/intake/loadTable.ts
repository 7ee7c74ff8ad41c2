import { mkdtempSync, statSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { LoadResult } from '@crease/contract';
import type { Misfits, ReadProblem } from '@crease/core/columns';
import type { MergeOrder } from '@crease/core/load';
import type { ReadSpec } from '@crease/core/reading';
import { ReadError, shortened } from '@crease/core/reading';
import type { Replaces, Tables } from '../store/index.ts';
import type { FileReaders } from '../readers/fileReaders.ts';
import type { Pool } from '../tasks/pool.ts';
import type { Running } from '../threads/pool.ts';
import { READING_THREADS } from '../threads/pool.ts';
import type { ColumnTask } from './encodeColumn.ts';
import type { PiecesTask } from './pieces.ts';
import { memoryOf } from './kept.ts';
import { readFile } from './readFile.ts';
import type { FinalizeOrder } from './finalizeLoad.ts';
import type { PartsOrder } from './finalizeParts.ts';
import type { StoredParquet } from './storeParquet.ts';
import type { Outgoing, Unknown } from './unknownMembers.ts';
import { toldOf, unknownText } from './unknownMembers.ts';
import { isParquet } from '../sources/fileTable.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

/** Where a file's rows belong. */
export interface Target {
  readonly workspace: string;
  /** A folder for what is kept during the load only. */
  readonly scratch: string;
  readonly modelId: number;
  readonly key: string;
  /** What of the rows that are there the file takes the place of. */
  readonly replaces?: Replaces;
  /** What happens where a value is not of its column's type. By default it is stored as null and listed. */
  readonly misfits?: 'null' | 'leave out' | 'stop';
  /** By which the rows are brought onto those that are there; without it they take their place. */
  readonly merge?: MergeOrder | undefined;
  /** Of the table in the model, as far as it has one. */
  readonly known?:
    | { readonly columns: FinalizeOrder['columns']; readonly key: readonly string[] }
    | undefined;
  readonly dryRun?: boolean;
  /** The rows onto which these are brought, as ids of their parts; by default those that are visible. */
  readonly onto?: string | undefined;
  /** References to dimensions, and what happens where a member is not there. */
  readonly references?: readonly Outgoing[] | undefined;
  readonly unknown?: 'list' | 'stop' | 'add' | undefined;
  /** Hears of what is done once the rows have been read. */
  readonly onStep?: (step: string) => void;
  /** Of a table that is kept in parts. */
  readonly parts?: Pick<PartsOrder, 'partition' | 'mode' | 'only'> | undefined;
}

const TOLD_MS = 100;
/** Shares of the work as progress tells it. */
const READING = 0.7;

/** Not by shifting: that would cut the size of large files to 32 bits. */
const kilobytes = (file: string): number => Math.max(1, Math.floor(statSync(file).size / 1024));

/** Who does the work: threads, and processes for files that may be damaged. */
export interface Workers {
  readonly pool: Pool;
  readonly readers: FileReaders;
}

interface Load extends Workers {
  readonly tables: Tables;
  readonly file: string;
  readonly spec: ReadSpec;
  readonly target: Target;
  readonly onProgress: (part: number) => void;
  /** Counts kilobytes of text, or columns. */
  readonly progress: SharedProgress;
}

/** Rows that are stored and not visible yet: what becomes visible together is made so together. */
export interface PendingRows {
  /** All rows, or each part of them. */
  readonly tables: readonly {
    readonly tableId: number;
    readonly misfits: ReadonlyMap<string, Misfits>;
    readonly replaces: Replaces;
  }[];
  /** Parts that go, and nothing takes their place. */
  readonly gone: readonly string[];
}

const oneTable = (
  tableId: number,
  misfits: ReadonlyMap<string, Misfits>,
  replaces: Replaces,
): PendingRows => ({ tables: [{ tableId, misfits, replaces }], gone: [] });

export interface Stored {
  readonly result: Omit<LoadResult, 'table'>;
  /** Nothing for a dry run. */
  readonly pending: PendingRows | undefined;
  /** Records that were not taken, as far as they are listed. */
  readonly notTaken: readonly ReadProblem[];
  /** Members that the rows refer to and that are not there. */
  readonly unknown: readonly Unknown[];
}

/**
 * Stores a file's rows in the workspace, not visible yet. A load that is stopped or fails leaves nothing
 * behind but what was there before. Progress is told from 0 to 1.
 */
export function loadTable(
  { pool, readers }: Workers,
  tables: Tables,
  file: string,
  spec: ReadSpec,
  target: Target,
  onProgress: (part: number) => void,
): Running<Stored> {
  const progress = new SharedProgress();
  const load: Load = { pool, readers, tables, file, spec, target, onProgress, progress };
  const done = isParquet(file) ? loadParquet(load) : loadText(load);
  return { done, stop: () => progress.stop() };
}

/**
 * What is to become visible, once rows are left out or merged. Throws ReadError where misfits stop the load.
 */
async function finish(
  load: Load,
  tableId: number,
  misfits: ReadonlyMap<string, Misfits>,
  rows: number,
  problems: number,
): Promise<Stored> {
  try {
    const unread = load.tables.problemsOf(tableId);
    const unknown = await unknownMembers(load, tableId);
    const stored = await finishRows(load, tableId, misfits, rows, problems);
    const leftOut = load.target.misfits === 'leave out' ? rowsOf(misfits) : [];
    const told = unknown.length === 0 ? {} : { unknown: toldOf(unknown, load.target.unknown ?? 'list') };
    return {
      ...stored,
      result: { ...stored.result, ...told },
      notTaken: [...unread, ...leftOut, ...stored.result.refused],
      unknown,
    };
  } catch (error) {
    load.tables.drop(tableId);
    throw error;
  }
}

/** Throws ReadError where there are some and that is to stop the load. */
async function unknownMembers({ pool, spec, target }: Load, tableId: number): Promise<readonly Unknown[]> {
  const { references = [], workspace } = target;
  if (references.length === 0) return [];
  target.onStep?.('looking for their members');
  const found = await pool.load('unknownMembers', { workspace, tableId, table: spec.table, references });
  if (target.unknown === 'stop' && found.length > 0) throw new ReadError(unknownText(found));
  return found;
}

async function finishRows(
  load: Load,
  tableId: number,
  misfits: ReadonlyMap<string, Misfits>,
  rows: number,
  problems: number,
): Promise<Omit<Stored, 'notTaken' | 'unknown'>> {
  const { tables, target, pool, spec } = load;
  const { modelId, key, replaces = 'all', merge, known, dryRun = false } = target;
  if (target.misfits === 'stop' && misfits.size > 0) throw new ReadError(misfitText(misfits));
  if (known) refuseUnreadable(spec.table, rows, misfits);
  const leftOut = target.misfits === 'leave out' ? rowsOf(misfits) : [];
  const existing = target.onto ?? tables.versions(modelId)[key];
  // What would be refused is refused by a dry run, too.
  if (!merge && !target.parts) tables.checkFits(tableId, replaces);
  const isCompared =
    replaces === 'all' && existing !== undefined && (known?.key.length ?? 0) > 0 && rows <= MOST_COMPARED;
  if (leftOut.length === 0 && !dryRun && !merge && !isCompared && !target.parts) {
    const removed =
      replaces === 'all' ? tables.rowCount(modelId, key) : tables.partRows(modelId, key, replaces.part);
    const counts = { added: rows, changed: 0, unchanged: 0, refused: 0 };
    return {
      result: { counts, removed, leftOut: problems, rows, refused: [], changes: [] },
      pending: oneTable(tableId, misfits, replaces),
    };
  }
  const order: FinalizeOrder = {
    tableId,
    modelId,
    key,
    table: spec.table,
    replaces,
    leftOut,
    merge,
    existing,
    columns: known?.columns ?? [],
    tableKey: isCompared ? known!.key : [],
    dryRun,
    parts: target.parts && {
      ...target.parts,
      current: tables.currentParts(modelId, key),
      misfits: leftOut.length > 0 ? [] : [...misfits],
    },
  };
  target.onStep?.('bringing them onto what is there');
  const settled = await pool.load('finalize', { workspace: target.workspace, order });
  // Rows that are only compared stay where they have been written.
  if (settled.asTheyAre) return { result: settled.result, pending: oneTable(tableId, misfits, replaces) };
  tables.drop(tableId);
  if (settled.parts) {
    const { written, gone } = settled.parts;
    const parts = written.map(({ part, ...own }) => ({ ...own, replaces: { part } }));
    return { result: settled.result, pending: dryRun ? undefined : { tables: parts, gone } };
  }
  const pending =
    settled.tableId === undefined
      ? undefined
      : oneTable(
          settled.tableId,
          leftOut.length > 0 ? new Map<string, Misfits>() : misfits,
          merge ? 'all' : replaces,
        );
  return { result: settled.result, pending };
}

/** More rows are not compared with those that are there, one by one. */
const MOST_COMPARED = 2_000_000;

/** Throws ReadError where a column of a table that is there cannot be read at all as the model has it. */
function refuseUnreadable(table: string, rows: number, misfits: ReadonlyMap<string, Misfits>): void {
  for (const [column, { rows: bad, sample }] of misfits)
    if (rows > 1 && bad === rows)
      throw new ReadError(
        `no value of ${column} can be read as ${table}.${column} is in the model (“${shortened(sample[0]!.text)}”, for one): give the column its type on the Shape stage, leave it out, or load the file as a new table`,
      );
}

/** Rows with values that do not fit, once each. */
function rowsOf(misfits: ReadonlyMap<string, Misfits>): ReadProblem[] {
  const found = new Map<number, ReadProblem>();
  for (const [column, { rows, all }] of misfits) {
    if (!all)
      throw new ReadError(
        `${rows} values of ${column} are not of its type: those are too many to leave rows out for; correct the type first`,
      );
    for (const { line, text } of all)
      if (!found.has(line))
        found.set(line, {
          line,
          column,
          text: shortened(text),
          message: 'the value is not of the type of its column',
          kind: 'misfit',
        });
  }
  return [...found.values()].sort((a, b) => a.line - b.line);
}

async function loadText(load: Load): Promise<Stored> {
  const { pool, tables, file, spec, target, onProgress, progress } = load;
  const scratch = mkdtempSync(join(target.scratch, 'load-'));
  let tableId: number | undefined;
  const threads = {
    count: READING_THREADS,
    pieces: (task: PiecesTask) => pool.load('pieces', task),
    column: (task: ColumnTask, ordinal: number) =>
      pool.load(
        'column',
        { task, into: { workspace: target.workspace, tableId: tableId!, ordinal } },
        memoryOf(
          task.pieces.map(({ cells }) => cells),
          task.dictionaries.flat(),
        ),
      ),
  };
  const plain = spec.dialect.encoding === 'utf-8';
  const text = plain ? file : join(scratch, 'utf-8');
  const utf8: ReadSpec = plain ? spec : { ...spec, dialect: { ...spec.dialect, encoding: 'utf-8' } };
  let size = kilobytes(file);
  const watch = setInterval(() => onProgress(Math.min(READING, (READING * progress.done) / size)), TOLD_MS);
  try {
    if (!plain) {
      await pool.load('transcode', {
        file,
        encoding: spec.dialect.encoding,
        to: text,
        shared: progress.memory,
      });
      size = kilobytes(text);
    }
    const { rowCount, problems, misfits } = await readFile(text, utf8, threads, {
      shared: progress.memory,
      scratch,
      onFacts: (facts) => {
        clearInterval(watch);
        tableId = tables.begin(target.modelId, target.key, facts, target.replaces);
      },
      onColumn: (part) => onProgress(READING + (1 - READING) * part),
    });
    return await finish(load, tableId!, misfits, rowCount, problems);
  } catch (error) {
    if (tableId !== undefined) tables.drop(tableId);
    throw error;
  } finally {
    clearInterval(watch);
    // Large files take their time to go: nobody else waits for it.
    await rm(scratch, { recursive: true, force: true });
  }
}

/** A process of its own reads column after column: a damaged file keeps nobody else waiting. */
async function loadParquet(load: Load): Promise<Stored> {
  const { readers, file, spec, target, onProgress, progress } = load;
  const { modelId, key, replaces = 'all', workspace } = target;
  const task = { file, table: spec.table, columns: spec.columns, modelId, key, replaces };
  const running = readers.start<StoredParquet>({ kind: 'parquet', workspace, task }, (done) =>
    onProgress(done / spec.columns.length),
  );
  const stopped = setInterval(() => {
    if (progress.isStopped) running.stop();
  }, TOLD_MS);
  try {
    const { tableId, rows, misfits } = await running.done;
    return await finish(load, tableId, new Map(misfits), rows, 0);
  } finally {
    clearInterval(stopped);
  }
}

/** What stops a load that takes no value but those of its columns' types. */
function misfitText(misfits: ReadonlyMap<string, Misfits>): string {
  const parts = [...misfits].map(([column, { rows, sample }]) => {
    const first = sample[0]!;
    return `${rows} ${rows === 1 ? 'value' : 'values'} of ${column} (“${shortened(first.text)}” on line ${first.lines[0]}, for one)`;
  });
  return `not of the type of their column: ${parts.join('; ')}. Nothing was stored: correct the type, or store such values as null`;
}
