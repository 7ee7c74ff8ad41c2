import { statSync } from 'node:fs';
import type { Misfits, ReadProblem } from '@crease/core/columns';
import { recordsOf } from '@crease/core/columns';
import type { Layout, ReadSpec } from '@crease/core/reading';
import { CHUNK_BYTES, endlessRecord, linesOf, problemsOf, ReadError, readLayout } from '@crease/core/reading';
import { readHead } from '../sources/fileTable.ts';
import type { ColumnTask } from './encodeColumn.ts';
import type { KeptTexts } from './kept.ts';
import type { Piece, PiecesDone, PiecesTask } from './pieces.ts';
import { pieceCount } from './pieces.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

/**
 * What threads do for the reading of a file. `column` gives a column's task to wherever its encoded rows
 * belong.
 */
export interface ReadingThreads {
  readonly count: number;
  pieces(task: PiecesTask): Promise<PiecesDone>;
  column(task: ColumnTask, ordinal: number): Promise<Misfits | undefined>;
}

/** A file that has been cut and read, but for its columns. */
export interface FileFacts {
  readonly rowCount: number;
  readonly problems: readonly ReadProblem[];
  readonly firstLine: number;
  /** Line of each row, where row k is not on line `firstLine` + k. */
  readonly lines: Uint32Array | undefined;
}

/** Cells of larger files are kept on disk between the two passes. */
const SPILLED_BYTES = 768 << 20;

/**
 * Reads a delimited file of UTF-8 text over several threads: first its pieces, each by whichever thread is
 * free, then its columns, each brought into one dictionary and encoded by whichever is. `onFacts` is called
 * between the two. Throws ReadError for a file that cannot be read as asked for, or when it was stopped.
 * `shared` is the memory of a SharedProgress, which counts kilobytes.
 */
export async function readFile(
  file: string,
  spec: ReadSpec,
  threads: ReadingThreads,
  options: {
    shared: Int32Array;
    scratch?: string;
    onFacts: (facts: FileFacts) => void;
    onColumn?: (done: number) => void;
  },
): Promise<{ rowCount: number; problems: number; misfits: Map<string, Misfits> }> {
  const { shared } = options;
  const size = statSync(file).size;
  const layout = layoutOf(file, spec, size);
  const scratch = size > SPILLED_BYTES ? options.scratch : undefined;
  const readers = Math.max(1, Math.min(threads.count, pieceCount(layout, size)));
  const task = { file, size, spec, layout, shared, scratch };
  const done = await allEnded(
    Array.from({ length: readers }, (_, reader) => threads.pieces({ ...task, reader })),
    shared,
  );
  stopWhereAsked(shared);
  const { pieces, dictionaries, exact } = await inOrder(done, { ...task, reader: 0 }, threads);
  stopWhereAsked(shared);
  const { firstLines, lineOf } = linesOf(pieces, layout.line);
  const rowCount = pieces.reduce((sum, { rows }) => sum + rows, 0);
  const problems = problemsOf(pieces, firstLines);
  const firstLine = rowCount > 0 ? lineOf(0) : layout.line;
  options.onFacts({
    rowCount,
    problems,
    firstLine,
    lines: irregularLines(pieces, firstLines, firstLine, rowCount),
  });
  const misfits = new Map<string, Misfits>();
  let finished = 0;
  // The largest dictionaries first, so that the last column to end is a short one.
  const dictionarySize = (i: number) =>
    dictionaries.reduce((sum, byColumn) => sum + byColumn[i]!.reduce((n, d) => n + d.size, 0), 0);
  const order = spec.columns
    .map((column, i) => ({ column, i, size: dictionarySize(i) }))
    .sort((a, b) => b.size - a.size);
  const work = order.map(({ column, i }) => async () => {
    if (new SharedProgress(shared).isStopped) return;
    const bad = await threads.column(columnTask(spec, i, pieces, dictionaries, exact, layout), i);
    if (bad) misfits.set(column.name.toLowerCase(), bad);
    options.onColumn?.(++finished / spec.columns.length);
  });
  // A file that one thread has read is not worth waking another for its columns.
  await inTurn(work, readers, shared);
  stopWhereAsked(shared);
  return { rowCount, problems: recordsOf(problems), misfits };
}

function stopWhereAsked(shared: Int32Array): void {
  if (new SharedProgress(shared).isStopped) throw new ReadError('cancelled');
}

function layoutOf(file: string, spec: ReadSpec, size: number): Layout {
  for (let bytes = 1 << 16; ; bytes *= 8) {
    const { head, whole } = readHead(file, Math.min(bytes, size));
    const layout = readLayout(spec, head, whole);
    if (layout) return layout;
  }
}

/** Runs tasks with at most `width` of them at work. */
async function inTurn(
  tasks: readonly (() => Promise<void>)[],
  width: number,
  shared: Int32Array,
): Promise<void> {
  let next = 0;
  const lane = async () => {
    while (next < tasks.length) await tasks[next++]!();
  };
  await allEnded(Array.from({ length: width }, lane), shared);
}

/**
 * Waits until all work has ended. The first error stops the rest, and is thrown when nobody is at work any
 * more.
 */
async function allEnded<T>(work: readonly Promise<T>[], shared: Int32Array): Promise<T[]> {
  let first: { error: unknown } | undefined;
  const results = await Promise.all(
    work.map((one) =>
      one.catch((error: unknown) => {
        first ??= { error };
        new SharedProgress(shared).stop();
        return undefined;
      }),
    ),
  );
  if (first) throw first.error;
  return results as T[];
}

type Dictionaries = (readonly (readonly KeptTexts[])[])[];

/**
 * Pieces in the order of the file, each beginning where the one before ends; those that began in the wrong
 * place are read again.
 */
async function inOrder(
  done: readonly PiecesDone[],
  task: PiecesTask,
  threads: ReadingThreads,
): Promise<{ pieces: Piece[]; dictionaries: Dictionaries; exact: boolean }> {
  const byIndex = new Map(done.flatMap(({ pieces }) => pieces).map((piece) => [piece.index, piece]));
  const dictionaries: Dictionaries = done.map((d) => d.dictionaries);
  const pieces: Piece[] = [];
  let exact = true;
  let expected = task.layout.bodyAt;
  const count = pieceCount(task.layout, task.size);
  for (let index = 0; index < count; index++) {
    let piece = byIndex.get(index)!;
    // A record of a piece before goes on beyond this one.
    if (expected >= Math.min(task.layout.bodyAt + (index + 1) * CHUNK_BYTES, task.size)) continue;
    if (piece.start !== expected) {
      exact = false;
      const starts = new Map([...byIndex].map(([i, p]) => [i, p.start]));
      const again = await threads.pieces({
        ...task,
        reader: dictionaries.length,
        again: { index, start: expected, starts },
      });
      dictionaries.push(again.dictionaries);
      for (const p of again.pieces) byIndex.set(p.index, p);
      stopWhereAsked(task.shared);
      piece = byIndex.get(index)!;
    }
    if (piece.endless) {
      const line = pieces.reduce((sum, { lines }) => sum + lines, task.layout.line + piece.lines);
      throw new ReadError(endlessRecord(task.spec.table, line));
    }
    pieces.push(piece);
    expected = piece.end;
  }
  return { pieces: pieces.filter(({ lines }) => lines > 0), dictionaries, exact };
}

/** Line of each row where they do not simply follow each other. */
function irregularLines(
  pieces: readonly Piece[],
  firstLines: readonly number[],
  firstLine: number,
  rowCount: number,
): Uint32Array | undefined {
  let first = 0;
  const regular = pieces.every((piece, k) => {
    const fits = piece.rows === 0 || (!piece.lineOf && firstLines[k] === firstLine + first);
    first += piece.rows;
    return fits;
  });
  if (regular) return undefined;
  const lines = new Uint32Array(rowCount);
  let at = 0;
  pieces.forEach((piece, k) => {
    for (let row = 0; row < piece.rows; row++)
      lines[at++] = firstLines[k]! + (piece.lineOf ? piece.lineOf[row]! : row);
  });
  return lines;
}

function columnTask(
  spec: ReadSpec,
  i: number,
  pieces: readonly Piece[],
  dictionaries: Dictionaries,
  exact: boolean,
  layout: Layout,
): ColumnTask {
  return {
    column: spec.columns[i]!,
    nulls: spec.nulls ?? [''],
    pieces: pieces.map(({ rows, lines, lineOf, reader, cells, misfits, padded }) => ({
      rows,
      lines,
      lineOf,
      reader,
      cells: cells[i]!,
      misfits: misfits[i]!,
      padded: padded[i]!,
    })),
    dictionaries: dictionaries.map((byColumn) => byColumn[i]!),
    exact,
    line: layout.line,
  };
}
