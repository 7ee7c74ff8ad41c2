import { closeSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import type { MisfitTexts } from '@crease/core/columns';
import type { Chunk, Layout, ReadSpec } from '@crease/core/reading';
import { byteOf, CHUNK_BYTES, ChunkReader, LARGEST_RECORD_BYTES, ReadError } from '@crease/core/reading';
import type { KeptCells, KeptTexts } from './kept.ts';
import { keptCells, keptTexts, Spill } from './kept.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

/** Bytes read beyond a piece, for the record that its end cuts; more where that is not enough. */
const OVERLAP_BYTES = 1 << 16;

/** One piece of a file as read: the records that start in it. */
export interface Piece extends Omit<Chunk, 'cells' | 'misfits'> {
  readonly index: number;
  /**
   * Byte of the file where its first record starts, and where the first record behind it does. Equal where
   * none starts in it.
   */
  readonly start: number;
  readonly end: number;
  readonly reader: number;
  readonly cells: readonly KeptCells[];
  readonly misfits: readonly MisfitTexts[];
  /**
   * Whether one of its records does not end within the largest size: then it ends the file, or the piece
   * began inside of quotes.
   */
  readonly endless: boolean;
}

export interface PiecesTask {
  readonly file: string;
  readonly size: number;
  readonly spec: ReadSpec;
  readonly layout: Layout;
  /** The number of the reader that this task is. */
  readonly reader: number;
  /** Memory of a SharedProgress, which gives out pieces and counts kilobytes. */
  readonly shared: Int32Array;
  /** Where cells are kept in files; undefined for memory. */
  readonly scratch: string | undefined;
  /** To read again from a record that is known to start there, until pieces fit those that follow. */
  readonly again?: {
    readonly index: number;
    readonly start: number;
    readonly starts: ReadonlyMap<number, number>;
  };
}

export interface PiecesDone {
  readonly pieces: readonly Piece[];
  /** By column, then by epoch. */
  readonly dictionaries: readonly (readonly KeptTexts[])[];
}

export const pieceCount = (layout: Layout, size: number): number =>
  Math.max(0, Math.ceil((size - layout.bodyAt) / CHUNK_BYTES));

/**
 * Takes pieces of a file until none are left, as one of several threads. A piece begins behind the first line
 * end in it: where that line end lies inside of quotes the piece is wrong, which shows because its start is
 * not the end of the piece before.
 */
export function readPieces(task: PiecesTask): PiecesDone {
  const { spec, layout, size, shared } = task;
  const reader = new ChunkReader(spec, layout);
  const descriptor = openSync(task.file, 'r');
  const spill =
    task.scratch === undefined ? undefined : new Spill(join(task.scratch, `cells-${task.reader}`));
  const pieces: Piece[] = [];
  const dictionaries: KeptTexts[][] = spec.columns.map(() => []);
  const keepSealed = (all: boolean) =>
    dictionaries.forEach((kept, i) =>
      kept.push(...reader.takeSealed(i, all).map((texts) => keptTexts(texts, spill))),
    );
  const progress = new SharedProgress(shared);
  const stopped = () => progress.isStopped;
  const add = (index: number, start: number, stop: number): Piece => {
    const piece = readPiece(reader, descriptor, { index, start, stop, size, reader: task.reader }, spill);
    pieces.push(piece);
    keepSealed(false);
    return piece;
  };
  const stopOf = (index: number) => Math.min(size, layout.bodyAt + (index + 1) * CHUNK_BYTES);
  try {
    if (task.again) {
      const { starts } = task.again;
      let [index, start] = [task.again.index, task.again.start];
      while (!stopped() && start < size && starts.get(index) !== start) {
        const piece = add(index, start, stopOf(index));
        if (piece.endless) break;
        start = piece.end;
        index++;
      }
    } else {
      const all = pieceCount(layout, size);
      for (let index = progress.take(); index < all && !stopped(); index = progress.take()) {
        const stop = stopOf(index);
        const start =
          index === 0
            ? layout.bodyAt
            : firstRecord(
                descriptor,
                layout.bodyAt + index * CHUNK_BYTES,
                stop,
                byteOf(spec.dialect.newline),
              );
        add(index, start, stop);
        progress.add((stop - layout.bodyAt - index * CHUNK_BYTES) >> 10);
      }
    }
    keepSealed(true);
    return { pieces, dictionaries };
  } finally {
    closeSync(descriptor);
    spill?.close();
  }
}

/**
 * Where the first record starts behind a line end that stands at `from - 1` or later; `stop` where there is
 * none.
 */
function firstRecord(descriptor: number, from: number, stop: number, newline: number): number {
  const bytes = new Uint8Array(OVERLAP_BYTES);
  for (let at = from - 1; at < stop; at += bytes.length) {
    const read = readSync(descriptor, bytes, 0, Math.min(bytes.length, stop - at), at);
    const found = bytes.subarray(0, read).indexOf(newline);
    if (found >= 0) return at + found + 1;
    if (read === 0) break;
  }
  return stop;
}

interface Bounds {
  readonly index: number;
  readonly start: number;
  /** No record starts here or later. */
  readonly stop: number;
  readonly size: number;
  readonly reader: number;
}

function readPiece(reader: ChunkReader, descriptor: number, bounds: Bounds, spill: Spill | undefined): Piece {
  const { index, start, stop, size } = bounds;
  const none = {
    index,
    start,
    end: start,
    reader: bounds.reader,
    rows: 0,
    lines: 0,
    lineOf: undefined,
    cells: [],
    misfits: [],
    padded: [],
    problems: [],
    leftOut: 0,
  };
  if (start >= stop) return { ...none, endless: false };
  for (let beyond = OVERLAP_BYTES; ; beyond = Math.min(beyond * 8, LARGEST_RECORD_BYTES)) {
    const length = Math.min(size, stop + beyond) - start;
    const last = start + length >= size;
    const got = readSync(descriptor, reader.buffer(length), 0, length, start);
    if (got < length) throw new ReadError('the file has become shorter while it was read');
    const { chunk, next } = reader.read(stop - start, length, last);
    if (next < stop - start && !last) {
      if (beyond === LARGEST_RECORD_BYTES) return { ...none, lines: chunk.lines, endless: true };
      continue;
    }
    const { cells, ...rest } = chunk;
    return {
      ...rest,
      cells: cells.map((c) => keptCells(c, spill)),
      index,
      start,
      end: start + next,
      reader: bounds.reader,
      endless: false,
    };
  }
}
