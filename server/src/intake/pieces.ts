import { closeSync, openSync, readSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import type { Codes } from '@crease/core/columns';
import type { Chunk, ChunkCells, Layout, MisfitTexts, ReadSpec, SortedTexts } from '@crease/core/reading';
import { byteOf, CHUNK_BYTES, ChunkReader, LARGEST_RECORD_BYTES } from '@crease/core/reading';

/** Bytes read beyond a piece, for the record that its end cuts; more where that is not enough. */
const OVERLAP_BYTES = 1 << 16;

/** Cells that have left a thread: in memory that is handed on with them, or in a file of the scratch folder. */
export type KeptCells =
  | { readonly kind: 'texts'; readonly epoch: number; readonly data: Kept }
  | { readonly kind: 'offsets'; readonly low: number; readonly high: number; readonly data: Kept }
  | { readonly kind: 'numbers'; readonly wide: ReadonlyMap<number, bigint>; readonly data: Kept };

/** A typed array of `rows` values, `width` bytes each; of width 8, doubles. */
export interface Kept {
  readonly width: 1 | 2 | 4 | 8;
  readonly rows: number;
  readonly at: ArrayBuffer | { readonly file: string; readonly offset: number };
}

/** One piece of a file as read: the records that start in it. */
export interface Piece extends Omit<Chunk, 'cells' | 'misfits'> {
  readonly index: number;
  /** Byte of the file where its first record starts, and where the first record behind it does. Equal where none starts in it. */
  readonly start: number;
  readonly end: number;
  readonly reader: number;
  readonly cells: readonly KeptCells[];
  readonly misfits: readonly MisfitTexts[];
  /** Whether one of its records does not end within the largest size: then it ends the file, or the piece began inside of quotes. */
  readonly endless: boolean;
}

export interface PiecesTask {
  readonly file: string;
  readonly size: number;
  readonly spec: ReadSpec;
  readonly layout: Layout;
  /** The number of the reader that this task is. */
  readonly reader: number;
  /** Shared: [0] the next piece to take, [1] 1 KB units done, [2] not 0 to stop. */
  readonly shared: Int32Array;
  /** Where cells are kept in files; undefined for memory. */
  readonly scratch: string | undefined;
  /** To read again from a record that is known to start there, until pieces fit those that follow. */
  readonly again?: { readonly index: number; readonly start: number; readonly starts: ReadonlyMap<number, number> };
}

export interface PiecesDone {
  readonly pieces: readonly Piece[];
  /** By column, then by epoch. */
  readonly dictionaries: readonly (readonly SortedTexts[])[];
}

export const pieceCount = (layout: Layout, size: number): number => Math.max(0, Math.ceil((size - layout.bodyAt) / CHUNK_BYTES));

/**
 * Memory that goes along with cells and dictionaries to the thread that needs them next. Shared memory would not do: each thread would keep
 * it until its own garbage collector comes by, which idle threads' do not.
 */
export const memoryOf = (cells: Iterable<KeptCells>, dictionaries: Iterable<SortedTexts>): ArrayBuffer[] => {
  const found = new Set<ArrayBuffer>();
  for (const { data } of cells) if (data.at instanceof ArrayBuffer) found.add(data.at);
  for (const { bytes, ends, rank } of dictionaries) for (const array of [bytes, ends, rank]) found.add(array.buffer as ArrayBuffer);
  return [...found];
};

/**
 * Takes pieces of a file until none are left, as one of several threads. A piece begins behind the first line end in it: where that line
 * end lies inside of quotes the piece is wrong, which shows because its start is not the end of the piece before.
 */
export function readPieces(task: PiecesTask): PiecesDone {
  const { spec, layout, size, shared } = task;
  const reader = new ChunkReader(spec, layout);
  const descriptor = openSync(task.file, 'r');
  const spill = task.scratch === undefined ? undefined : new Spill(join(task.scratch, `cells-${task.reader}`));
  const pieces: Piece[] = [];
  const stopped = () => Atomics.load(shared, 2) !== 0;
  const add = (index: number, start: number, stop: number): Piece => {
    const piece = readPiece(reader, descriptor, { index, start, stop, size, reader: task.reader }, spill);
    pieces.push(piece);
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
      for (let index = Atomics.add(shared, 0, 1); index < all && !stopped(); index = Atomics.add(shared, 0, 1)) {
        const stop = stopOf(index);
        const start =
          index === 0 ? layout.bodyAt : firstRecord(descriptor, layout.bodyAt + index * CHUNK_BYTES, stop, byteOf(spec.dialect.newline));
        add(index, start, stop);
        Atomics.add(shared, 1, (stop - layout.bodyAt - index * CHUNK_BYTES) >> 10);
      }
    }
    return { pieces, dictionaries: spec.columns.map((_, i) => reader.dictionaries(i)) };
  } finally {
    closeSync(descriptor);
    spill?.close();
  }
}

/** Where the first record starts behind a line end that stands at `from - 1` or later; `stop` where there is none. */
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
    problems: [],
    leftOut: 0,
  };
  if (start >= stop) return { ...none, endless: false };
  for (let beyond = OVERLAP_BYTES; ; beyond = Math.min(beyond * 8, LARGEST_RECORD_BYTES)) {
    const length = Math.min(size, stop + beyond) - start;
    const last = start + length >= size;
    const got = readSync(descriptor, reader.buffer(length), 0, length, start);
    if (got < length) throw new RangeError('the file has become shorter while it was read');
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

function keptCells(cells: ChunkCells, spill: Spill | undefined): KeptCells {
  const array = cells.kind === 'numbers' ? cells.values : cells.codes;
  const width = array.BYTES_PER_ELEMENT as Kept['width'];
  const data: Kept = { width, rows: array.length, at: spill ? spill.put(array) : (array.buffer as ArrayBuffer) };
  if (cells.kind === 'texts') return { kind: 'texts', epoch: cells.epoch, data };
  if (cells.kind === 'offsets') return { kind: 'offsets', low: cells.low, high: cells.high, data };
  return { kind: 'numbers', wide: cells.wide, data };
}

/** Brings kept cells back. */
export function loadCells(kept: KeptCells, open: (file: string) => number): ChunkCells {
  const { width, rows, at } = kept.data;
  let buffer: ArrayBuffer;
  if (!('file' in at)) buffer = at;
  else {
    const bytes = new Uint8Array(rows * width);
    readSync(open(at.file), bytes, 0, bytes.length, at.offset);
    buffer = bytes.buffer;
  }
  if (kept.kind === 'numbers') {
    return { kind: 'numbers', wide: kept.wide, values: width === 8 ? new Float64Array(buffer, 0, rows) : new Float64Array(rows).fill(NaN) };
  }
  const codes: Codes =
    width === 1 ? new Uint8Array(buffer, 0, rows) : width === 2 ? new Uint16Array(buffer, 0, rows) : new Uint32Array(buffer, 0, rows);
  return kept.kind === 'texts' ? { kind: 'texts', epoch: kept.epoch, codes } : { kind: 'offsets', low: kept.low, high: kept.high, codes };
}

/** A scratch file that is only written at its end. */
class Spill {
  private readonly descriptor: number;
  private offset = 0;

  constructor(private readonly file: string) {
    this.descriptor = openSync(file, 'w');
  }

  put(array: Codes | Float64Array): { file: string; offset: number } {
    const at = { file: this.file, offset: this.offset };
    writeSync(this.descriptor, new Uint8Array(array.buffer, array.byteOffset, array.byteLength));
    this.offset += array.byteLength;
    return at;
  }

  close(): void {
    closeSync(this.descriptor);
  }
}
