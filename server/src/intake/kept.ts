import { closeSync, openSync, readSync, writeSync } from 'node:fs';
import type { Codes, TextList } from '@crease/core/columns';
import type { ChunkCells, SortedTexts } from '@crease/core/reading';

/**
 * Where an array lies that has left its thread: in memory that is handed on with it, or in a file of the
 * scratch folder.
 */
type Place = ArrayBuffer | { readonly file: string; readonly offset: number };

/** Cells that have left a thread. */
export type KeptCells =
  | { readonly kind: 'texts'; readonly epoch: number; readonly data: Kept }
  | { readonly kind: 'offsets'; readonly low: number; readonly high: number; readonly data: Kept }
  | { readonly kind: 'numbers'; readonly wide: ReadonlyMap<number, bigint>; readonly data: Kept };

/** A typed array of `rows` values, `width` bytes each; of width 8, doubles. */
export interface Kept {
  readonly width: 1 | 2 | 4 | 8;
  readonly rows: number;
  readonly at: Place;
}

/** A sealed dictionary that has left a thread. */
export interface KeptTexts {
  readonly size: number;
  readonly byteLength: number;
  readonly ascii: boolean;
  readonly bytes: Place;
  readonly ends: Place;
  readonly rank: Place;
}

/**
 * Memory that goes along with cells and dictionaries to the thread that needs them next. Shared memory would
 * not do: each thread would keep it until its own garbage collector comes by, which idle threads' do not.
 */
export const memoryOf = (cells: Iterable<KeptCells>, dictionaries: Iterable<KeptTexts>): ArrayBuffer[] => {
  const found = new Set<ArrayBuffer>();
  const note = (place: Place) => {
    if (!('file' in place)) found.add(place);
  };
  for (const { data } of cells) note(data.at);
  for (const { bytes, ends, rank } of dictionaries) [bytes, ends, rank].forEach(note);
  return [...found];
};

export function keptCells(cells: ChunkCells, spill: Spill | undefined): KeptCells {
  const array = cells.kind === 'numbers' ? cells.values : cells.codes;
  const width = array.BYTES_PER_ELEMENT as Kept['width'];
  const data: Kept = { width, rows: array.length, at: placed(array, spill) };
  if (cells.kind === 'texts') return { kind: 'texts', epoch: cells.epoch, data };
  if (cells.kind === 'offsets') return { kind: 'offsets', low: cells.low, high: cells.high, data };
  return { kind: 'numbers', wide: cells.wide, data };
}

const placed = (array: Codes | Float64Array, spill: Spill | undefined): Place =>
  spill ? spill.put(array) : (array.buffer as ArrayBuffer);

export const keptTexts = (
  { bytes, ends, rank, ascii }: SortedTexts,
  spill: Spill | undefined,
): KeptTexts => ({
  size: ends.length,
  byteLength: bytes.length,
  ascii,
  bytes: placed(bytes, spill),
  ends: placed(ends, spill),
  rank: placed(rank, spill),
});

/** A kept dictionary as a list; what lies in a file is read when it is asked for. */
export function textListOf(kept: KeptTexts, open: (file: string) => number): TextList {
  const part = (place: Place, from: number, to: number): Uint8Array<ArrayBuffer> => {
    if (!('file' in place)) return new Uint8Array(place, from, to - from);
    const bytes = new Uint8Array(to - from);
    readSync(open(place.file), bytes, 0, bytes.length, place.offset + from);
    return bytes;
  };
  const words = (place: Place, from: number, to: number): Uint32Array => {
    const { buffer, byteOffset } = part(place, from * 4, to * 4);
    return new Uint32Array(buffer, byteOffset, to - from);
  };
  const { size, byteLength, ascii } = kept;
  return {
    size,
    byteLength,
    ascii,
    bytes: (from, to) => part(kept.bytes, from, to),
    ends: (from, to) => words(kept.ends, from, to),
    rank: () => words(kept.rank, 0, size),
  };
}

/**
 * Brings kept cells back. What lies in a file is read each time the cells themselves are asked for, not for
 * what is known of them.
 */
export function loadCells(kept: KeptCells, open: (file: string) => number): ChunkCells {
  const { width, rows, at } = kept.data;
  const bytes = () => {
    if (!('file' in at)) return at;
    const read = new Uint8Array(rows * width);
    readSync(open(at.file), read, 0, read.length, at.offset);
    return read.buffer;
  };
  if (kept.kind === 'numbers') {
    const values = width === 8 ? new Float64Array(bytes(), 0, rows) : new Float64Array(rows).fill(NaN);
    return { kind: 'numbers', wide: kept.wide, values };
  }
  const load = (): Codes =>
    width === 1
      ? new Uint8Array(bytes(), 0, rows)
      : width === 2
        ? new Uint16Array(bytes(), 0, rows)
        : new Uint32Array(bytes(), 0, rows);
  const known =
    kept.kind === 'texts'
      ? { kind: 'texts' as const, epoch: kept.epoch }
      : { kind: 'offsets' as const, low: kept.low, high: kept.high };
  return {
    ...known,
    get codes() {
      return load();
    },
  };
}

/** A scratch file that is only written at its end. */
export class Spill {
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
