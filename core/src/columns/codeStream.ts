import type { Codes } from './codes.ts';
import type { CandidateSize, EncodedSegment } from './encodings/index.ts';
import { candidatesOf, chooseEncoding, SEGMENT_ROWS } from './encodings/index.ts';
import type { Packer, SegmentStatistics } from './encodings/encoding.ts';
import { BLOCK } from './encodings/encoding.ts';
import { packedBytes } from './encodings/bits.ts';
import type { Arena } from './kernel.ts';
import { withEncoder } from './kernel.ts';

/** How cells become codes. Tables and sets lie in the arena of the stream. */
export type CellsToCodes =
  /** Each cell looked up in a table at that address. */
  | { readonly kind: 'table'; readonly at: number }
  /** Each cell plus `shift`; 0 stays 0. */
  | { readonly kind: 'shift'; readonly shift: number }
  /** The place of each cell plus `shift` - 1 in a set; 0 stays 0. */
  | { readonly kind: 'rank'; readonly set: NumberSet; readonly shift: number };

/** A stretch of final codes. Both hold only while the sink is at work. */
export interface Stretch {
  readonly codes: Uint32Array<ArrayBuffer>;
  encode(): EncodedSegment;
  /** What it would take in each encoding that can hold it. */
  candidates(): CandidateSize[];
}

/**
 * Cells that are copied into the kernel at a time: with their codes they keep within the second-level cache.
 */
const BLOCK_CELLS = 1 << 14;
/** The most bytes that packing writes beyond what it packs. */
const OVERHANG = 8;

/**
 * Takes the cells of a column in their order, and gives out final codes, `stretch` rows at a time, with what
 * is to be known of them.
 */
export class CodeStream {
  private readonly length: number;
  private readonly cellsAt: number;
  private readonly codesAt: number;
  private readonly blocksAt: number;
  private readonly packedAt: number;
  private readonly countsAt: number;
  private filled = 0;

  /** `size`, where given, is the largest code: rows per code are counted. */
  constructor(
    private readonly arena: Arena,
    rowCount: number,
    stretch: number,
    private readonly size: number | undefined,
    private readonly sink: (stretch: Stretch) => void,
  ) {
    this.length = Math.max(1, Math.min(stretch, rowCount));
    this.cellsAt = arena.allocate(BLOCK_CELLS * 4);
    this.codesAt = arena.allocate(this.length * 4);
    this.blocksAt = arena.allocate(Math.ceil(this.length / BLOCK) * 8);
    this.packedAt = arena.allocate(this.length * 4 + OVERHANG);
    this.countsAt = size === undefined ? 0 : arena.allocate((size + 1) * 4);
    arena.kernel.startColumn();
    this.start();
  }

  private start(): void {
    this.filled = 0;
    this.arena.kernel.startSegment(this.blocksAt, Math.ceil(this.length / BLOCK));
  }

  push(cells: Codes, to: CellsToCodes): void {
    this.each(cells.length, (from, rows, out) => {
      copyCells(this.arena, this.cellsAt, cells, from, rows);
      const width = cells.BYTES_PER_ELEMENT;
      const { kernel } = this.arena;
      if (to.kind === 'table') kernel.byTable(this.cellsAt, width, rows, to.at, out);
      else if (to.kind === 'shift') kernel.byShift(this.cellsAt, width, rows, to.shift, out);
      else to.set.rank(this.cellsAt, width, rows, to.shift, out);
    });
  }

  /** Takes final codes of so many rows: `write` puts those from row `from` on into `out`. */
  pushCodes(count: number, write: (out: Uint32Array, from: number) => void): void {
    this.each(count, (from, rows, out) => write(this.arena.words(out, rows), from));
  }

  private each(count: number, write: (from: number, rows: number, out: number) => void): void {
    for (let from = 0; from < count;) {
      const rows = Math.min(BLOCK_CELLS, count - from, this.length - this.filled);
      write(from, rows, this.codesAt + this.filled * 4);
      this.arena.kernel.observe(this.codesAt, this.filled, this.filled + rows, this.blocksAt, this.countsAt);
      this.filled += rows;
      from += rows;
      if (this.filled === this.length) this.give();
    }
  }

  private give(): void {
    if (this.filled === 0) return;
    this.sink({
      codes: this.arena.words(this.codesAt, this.filled),
      encode: () => this.encode(),
      candidates: () => candidatesOf(this.statistics()),
    });
    this.start();
  }

  private encode(): EncodedSegment {
    const statistics = this.statistics();
    const encoding = chooseEncoding(statistics);
    const codes = this.arena.words(this.codesAt, this.filled);
    return {
      encoding: encoding.name,
      rows: this.filled,
      bytes: encoding.encode(codes, statistics, this.packer),
    };
  }

  private readonly packer: Packer = {
    bits: (from, count, base, width, out, at) => {
      if (width === 0) return;
      this.arena.kernel.pack(this.codesAt + from * 4, count, base, width, this.packedAt);
      out.set(this.arena.bytes(this.packedAt, packedBytes(count, width)), at);
    },
    steps: (count, step, width, out, at) => {
      if (width === 0) return;
      const steps = this.arena.allocate(count * 4);
      this.arena.kernel.differences(this.codesAt, count, step, steps);
      this.arena.kernel.pack(steps, count - 1, 0, width, this.packedAt);
      this.arena.release(steps);
      out.set(this.arena.bytes(this.packedAt, packedBytes(count - 1, width)), at);
    },
    coded: (count, base, lengths, bits, out, at) => {
      const table = this.arena.put(Uint32Array.from(bits, (code, symbol) => (lengths[symbol]! << 16) | code));
      this.arena.kernel.packCoded(this.codesAt, count, base, table, this.packedAt);
      out.set(this.arena.bytes(this.packedAt, out.length - at), at);
      this.arena.release(table);
    },
  };

  private frequencies(smallest: number, largest: number): Uint32Array {
    const { arena } = this;
    const at = arena.allocate((largest - smallest + 1) * 4);
    arena.kernel.countCodes(this.codesAt, this.filled, smallest, at);
    const counts = arena.words(at, largest - smallest + 1).slice();
    arena.release(at);
    return counts;
  }

  private statistics(): SegmentStatistics {
    const { kernel } = this.arena;
    const words = this.arena.words(this.blocksAt, Math.ceil(this.filled / BLOCK) * 2);
    const blocks = Array.from({ length: words.length / 2 }, (_, b) => ({
      smallest: words[2 * b]!,
      largest: words[2 * b + 1]!,
    }));
    const many = this.filled > 1;
    const smallest = Math.min(...blocks.map((b) => b.smallest));
    const largest = Math.max(...blocks.map((b) => b.largest));
    return {
      count: this.filled,
      smallest,
      largest,
      frequencies: () => this.frequencies(smallest, largest),
      runs: kernel.runs.value,
      longestRun: kernel.longestRun.value,
      leastStep: many ? kernel.leastStep() : 0,
      greatestStep: many ? kernel.greatestStep() : 0,
      blocks,
    };
  }

  /** Gives out what is left, and tells what was met in the whole column. */
  finish(): { nulls: number; runs: number; counts: Uint32Array | undefined } {
    this.give();
    const { nulls, columnRuns } = this.arena.kernel;
    const counts =
      this.size === undefined ? undefined : this.arena.words(this.countsAt, this.size + 1).slice();
    return { nulls: nulls.value, runs: columnRuns.value, counts };
  }
}

/** Cuts a whole column's codes into encoded segments of `SEGMENT_ROWS` rows. */
export const encodeSegments = (codes: Codes): EncodedSegment[] => bySegment(codes, (s) => s.encode());

/** Of each of these segments what it would take in each encoding that can hold it. */
export const sizesOfSegments = (codes: Codes): CandidateSize[][] => bySegment(codes, (s) => s.candidates());

function bySegment<T>(codes: Codes, of: (segment: Stretch) => T): T[] {
  const made: T[] = [];
  withEncoder((arena) => {
    const stream = new CodeStream(arena, codes.length, SEGMENT_ROWS, undefined, (stretch) =>
      made.push(of(stretch)),
    );
    stream.push(codes, { kind: 'shift', shift: 0 });
    stream.finish();
  });
  return made;
}

/**
 * A set of whole numbers from 0 up to, not including, `span`, one bit each; once it is closed it ranks its
 * members.
 */
export class NumberSet {
  private readonly words: number;
  private readonly bitsAt: number;
  private readonly cellsAt: number;
  private beforeAt = 0;

  constructor(
    private readonly arena: Arena,
    span: number,
  ) {
    this.words = Math.ceil(span / 32);
    this.bitsAt = arena.allocate(this.words * 4);
    this.cellsAt = arena.allocate(BLOCK_CELLS * 4);
  }

  /** Enters each cell plus `shift` - 1; cells of 0 are passed over. */
  add(cells: Codes, shift: number): void {
    for (let from = 0; from < cells.length; from += BLOCK_CELLS) {
      const rows = Math.min(BLOCK_CELLS, cells.length - from);
      copyCells(this.arena, this.cellsAt, cells, from, rows);
      this.arena.kernel.mark(this.cellsAt, cells.BYTES_PER_ELEMENT, rows, shift, this.bitsAt);
    }
  }

  /** Counts the members, after which none may be entered. */
  close(): number {
    this.beforeAt = this.arena.allocate(this.words * 4);
    return this.arena.kernel.rankWords(this.bitsAt, this.words, this.beforeAt);
  }

  /** The members plus `low`, ascending. */
  members(count: number, low: number): Float64Array {
    const at = this.arena.allocate(count * 8);
    this.arena.kernel.members(this.bitsAt, this.words, low, at);
    return new Float64Array(this.arena.kernel.memory.buffer, at, count).slice();
  }

  rank(cells: number, width: number, rows: number, shift: number, out: number): void {
    this.arena.kernel.byRank(cells, width, rows, shift, this.bitsAt, this.beforeAt, out);
  }
}

function copyCells(arena: Arena, at: number, cells: Codes, from: number, rows: number): void {
  const part = cells.subarray(from, from + rows);
  arena.bytes(at, part.byteLength).set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength));
}
