import { mkdtempSync, statSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Misfits } from '@crease/core/columns';
import type { ReadSpec } from '@crease/core/reading';
import { ReadError, shortened } from '@crease/core/reading';
import type { Replaces, Tables } from '../store/index.ts';
import type { Running, WorkPool } from '../work/pool.ts';
import { READING_THREADS } from '../work/pool.ts';
import type { ColumnTask } from './encodeColumn.ts';
import type { PiecesDone, PiecesTask } from './pieces.ts';
import { memoryOf } from './kept.ts';
import { readFile } from './readFile.ts';
import type { StoredParquet } from './storeParquet.ts';
import { isParquet } from '../sources/fileTable.ts';

/** Where a file's rows belong. */
export interface Target {
  readonly workspace: string;
  /** A folder for what is kept during the load only. */
  readonly scratch: string;
  readonly modelId: number;
  readonly key: string;
  /** What of the rows that are there the file takes the place of. */
  readonly replaces?: Replaces;
  /** Whether a value that is not of its column's type stops the load; else it is stored as null and listed. */
  readonly stopsAt?: boolean;
}

const TOLD_MS = 100;
/** Shares of the work as progress tells it. */
const READING = 0.7;

/** Not by shifting: that would cut the size of large files to 32 bits. */
const kilobytes = (file: string): number => Math.max(1, Math.floor(statSync(file).size / 1024));

interface Load {
  readonly pool: WorkPool;
  readonly tables: Tables;
  readonly file: string;
  readonly spec: ReadSpec;
  readonly target: Target;
  readonly onProgress: (part: number) => void;
  /** [1] what has been done, [2] not 0 to stop. */
  readonly shared: Int32Array;
}

/**
 * Takes a file's rows into the workspace: they become visible when all of them are stored, and a load that is stopped or fails leaves what
 * was there before. Progress is told from 0 to 1.
 */
export function takeIn(
  pool: WorkPool,
  tables: Tables,
  file: string,
  spec: ReadSpec,
  target: Target,
  onProgress: (part: number) => void,
): Running<{ rows: number; problems: number }> {
  const shared = new Int32Array(new SharedArrayBuffer(12));
  const load: Load = { pool, tables, file, spec, target, onProgress, shared };
  const done = isParquet(file) ? loadParquet(load) : loadText(load);
  return { done, stop: () => void Atomics.store(shared, 2, 1) };
}

/** Makes what was stored visible, unless the load takes no misfits and there are some. */
function finish({ tables, target }: Load, tableId: number, misfits: ReadonlyMap<string, Misfits>): void {
  if (target.stopsAt && misfits.size > 0) throw new ReadError(misfitText(misfits));
  tables.finish(tableId, misfits, target.replaces);
}

async function loadText(load: Load): Promise<{ rows: number; problems: number }> {
  const { pool, tables, file, spec, target, onProgress, shared } = load;
  const scratch = mkdtempSync(join(target.scratch, 'load-'));
  let tableId: number | undefined;
  const threads = {
    count: READING_THREADS,
    pieces: (task: PiecesTask) => pool.load<PiecesDone>({ kind: 'pieces', task }),
    column: (task: ColumnTask, ordinal: number) =>
      pool.load<Misfits | undefined>(
        { kind: 'column', task, into: { workspace: target.workspace, tableId: tableId!, ordinal } },
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
  const watch = setInterval(() => onProgress(Math.min(READING, (READING * Atomics.load(shared, 1)) / size)), TOLD_MS);
  try {
    if (!plain) {
      await pool.load({ kind: 'transcode', file, encoding: spec.dialect.encoding, to: text, shared });
      size = kilobytes(text);
    }
    const { rowCount, problems, misfits } = await readFile(text, utf8, threads, {
      shared,
      scratch,
      onFacts: (facts) => {
        clearInterval(watch);
        tableId = tables.begin(target.modelId, target.key, facts, target.replaces);
      },
      onColumn: (part) => onProgress(READING + (1 - READING) * part),
    });
    finish(load, tableId!, misfits);
    return { rows: rowCount, problems };
  } finally {
    clearInterval(watch);
    // Large files take their time to go: nobody else waits for it.
    await rm(scratch, { recursive: true, force: true });
  }
}

/** One thread reads column after column. */
async function loadParquet(load: Load): Promise<{ rows: number; problems: number }> {
  const { pool, file, spec, target, onProgress, shared } = load;
  const watch = setInterval(() => onProgress(Atomics.load(shared, 1) / spec.columns.length), TOLD_MS);
  try {
    const { modelId, key, replaces = 'all', workspace } = target;
    const task = { file, table: spec.table, columns: spec.columns, modelId, key, replaces, shared };
    const { tableId, rows, misfits } = await pool.load<StoredParquet>({ kind: 'parquet', workspace, task });
    finish(load, tableId, new Map(misfits));
    return { rows, problems: 0 };
  } finally {
    clearInterval(watch);
  }
}

/** What stops a load that takes no value but those of its columns' types. */
function misfitText(misfits: ReadonlyMap<string, Misfits>): string {
  const parts = [...misfits].map(([column, { rows, sample }]) => {
    const first = sample[0]!;
    return `${rows} ${rows === 1 ? 'value' : 'values'} of ${column} (“${shortened(first.text)}” on line ${first.line}, for one)`;
  });
  return `not of the type of their column: ${parts.join('; ')}. Nothing was stored: correct the type, or let such values be stored as null`;
}
