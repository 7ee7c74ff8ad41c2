import { mkdtempSync, statSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Misfits } from '@crease/core/columns';
import type { ReadSpec } from '@crease/core/reading';
import { ReadError } from '@crease/core/reading';
import type { Replaces, Tables } from '../store/index.ts';
import type { Running, WorkPool } from '../work/pool.ts';
import { READING_THREADS } from '../work/pool.ts';
import type { ColumnTask } from './encodeColumn.ts';
import type { PiecesDone, PiecesTask } from './pieces.ts';
import { memoryOf } from './kept.ts';
import { readFile } from './readFile.ts';

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
  return { done: load(), stop: () => void Atomics.store(shared, 2, 1) };

  async function load(): Promise<{ rows: number; problems: number }> {
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
    let size = Math.max(1, statSync(file).size >> 10);
    const watch = setInterval(() => onProgress(Math.min(READING, (READING * Atomics.load(shared, 1)) / size)), TOLD_MS);
    try {
      if (!plain) {
        await pool.load({ kind: 'transcode', file, encoding: spec.dialect.encoding, to: text, shared });
        size = Math.max(1, statSync(text).size >> 10);
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
      if (target.stopsAt && misfits.size > 0) throw new ReadError(misfitText(misfits));
      tables.finish(tableId!, misfits, target.replaces);
      return { rows: rowCount, problems };
    } finally {
      clearInterval(watch);
      // Large files take their time to go: nobody else waits for it.
      await rm(scratch, { recursive: true, force: true });
    }
  }
}

/** As `takeIn`, of a Parquet file: one thread reads column after column. */
export function takeInParquet(
  pool: WorkPool,
  tables: Tables,
  file: string,
  spec: ReadSpec,
  target: Target,
  onProgress: (part: number) => void,
): Running<{ rows: number; problems: number }> {
  const shared = new Int32Array(new SharedArrayBuffer(12));
  return { done: load(), stop: () => void Atomics.store(shared, 2, 1) };

  async function load(): Promise<{ rows: number; problems: number }> {
    const watch = setInterval(() => onProgress(Atomics.load(shared, 1) / spec.columns.length), TOLD_MS);
    try {
      const { modelId, key, replaces = 'all', workspace } = target;
      const task = { file, table: spec.table, columns: spec.columns, modelId, key, replaces, shared };
      const { tableId, rows, misfits } = await pool.load<{ tableId: number; rows: number; misfits: [string, Misfits][] }>({
        kind: 'parquet',
        workspace,
        task,
      });
      if (target.stopsAt && misfits.length > 0) throw new ReadError(misfitText(new Map(misfits)));
      tables.finish(tableId, new Map(misfits), target.replaces);
      return { rows, problems: 0 };
    } finally {
      clearInterval(watch);
    }
  }
}

/** What stops a load that takes no value but those of its columns' types. */
function misfitText(misfits: ReadonlyMap<string, Misfits>): string {
  const parts = [...misfits].map(([column, { rows, sample }]) => {
    const first = sample[0]!;
    return `${rows} ${rows === 1 ? 'value' : 'values'} of ${column} (“${first.text}” on line ${first.line}, for one)`;
  });
  return `not of the type of their column: ${parts.join('; ')}. Nothing was stored: correct the type, or let such values be stored as null`;
}
