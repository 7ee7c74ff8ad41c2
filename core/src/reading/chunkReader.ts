import type { DataType } from '../values/index.ts';
import { DEFAULT_DATE_PATTERN, fixedLayout, textReader } from '../values/index.ts';
import type { Codes, MisfitText, MisfitTexts, ReadProblem, TextList } from '../columns/index.ts';
import { noteMisfit } from '../columns/index.ts';
import type { Layout } from './header.ts';
import { byteOf } from './header.ts';
import type { ReaderKernel } from './kernel.ts';
import { DOUBLED, KernelKind, KernelProblem, makeKernel } from './kernel.ts';
import { LARGEST_RECORD_BYTES } from './scanner.ts';
import type { ColumnToRead, ReadSpec } from './spec.ts';

/** The longest field that is taken in. */
export const LARGEST_FIELD_BYTES = 1 << 20;
/** How many problems are kept by line; all are counted. */
export const KEPT_PROBLEMS = 1000;
/** A dictionary that has grown beyond this is sealed, and a new one begun, so that memory stays bounded. */
const SEALED_ENTRIES = 1 << 20;
const SEALED_BYTES = 24 << 20;

/**
 * One column's rows of a chunk.
 * - `texts`: places in the reader's dictionary number `epoch`, in order of first appearance.
 * - `offsets`: 0 for null, else the value less `low` plus 1.
 * - `numbers`: values, NaN for null; `wide` has those beyond 2^53 by row of the chunk.
 */
export type ChunkCells =
  | { readonly kind: 'texts'; readonly epoch: number; readonly codes: Codes }
  | { readonly kind: 'offsets'; readonly low: number; readonly high: number; readonly codes: Codes }
  | { readonly kind: 'numbers'; readonly values: Float64Array; readonly wide: ReadonlyMap<number, bigint> };

/** A sealed dictionary as a list. */
export const textList = ({ bytes, ends, rank, ascii }: SortedTexts): TextList => ({
  size: ends.length,
  byteLength: bytes.length,
  ascii,
  bytes: (from, to) => bytes.subarray(from, to),
  ends: (from, to) => ends.subarray(from, to),
  rank: () => rank,
});

/** What a piece of a file holds. Lines count from 0 at the start of the piece. */
export interface Chunk {
  readonly rows: number;
  /** Line ends in the piece. */
  readonly lines: number;
  /** Each row's line, or undefined where row k stands on line k. */
  readonly lineOf: Uint32Array | undefined;
  readonly cells: readonly ChunkCells[];
  readonly misfits: readonly MisfitTexts[];
  /** By column, whole numbers that are written with zeros in front; 0 for other columns. */
  readonly padded: readonly number[];
  readonly problems: readonly ReadProblem[];
  readonly leftOut: number;
}

/**
 * A sealed dictionary: distinct texts as bytes one behind the other, ascending; `ends[k]` is where the k-th
 * ends.
 */
export interface SortedTexts {
  readonly bytes: Uint8Array;
  readonly ends: Uint32Array;
  /** Place among the sorted texts by place of first appearance. */
  readonly rank: Uint32Array;
  /** Whether all bytes are plain ASCII. */
  readonly ascii: boolean;
}

const isNumber = (type: DataType): boolean => type.kind === 'integer' || type.kind === 'decimal';

/**
 * Reads pieces of one file, each a whole number of records, into narrow columns. Texts get codes of the
 * reader's own dictionaries, which `assembleColumn` brings into one order afterwards. Several readers may
 * share a file.
 */
export class ChunkReader {
  private readonly kernel: ReaderKernel = makeKernel();
  private readonly nulls: ReadonlySet<string>;
  private readonly readers: ((text: string) => unknown)[];
  private readonly kinds: number[];
  private readonly sealed: SortedTexts[][];
  /** Dictionaries sealed so far, by column. */
  private readonly epochs: number[];
  private bufferAt = 0;
  private room = 0;

  constructor(
    private readonly spec: ReadSpec,
    private readonly layout: Layout,
  ) {
    const { kernel } = this;
    const { dialect, columns } = spec;
    this.nulls = new Set(spec.nulls ?? ['']);
    this.sealed = columns.map(() => []);
    this.epochs = columns.map(() => 0);
    kernel.configure(
      layout.width,
      byteOf(dialect.delimiter),
      byteOf(dialect.quote),
      byteOf(dialect.newline),
      columns.length,
    );
    this.readers = columns.map((column) => textReader(column.type, column));
    this.kinds = columns.map((column, i) => this.setUp(column, i));
    for (const text of this.nulls) {
      const bytes = new TextEncoder().encode(text);
      const at = kernel.addNull(bytes.length);
      if (at === 0) throw new RangeError('the null texts are too long');
      new Uint8Array(kernel.memory.buffer).set(bytes, at);
    }
  }

  private setUp(column: ColumnToRead, i: number): number {
    const { kernel, layout } = this;
    const { type } = column;
    if (isNumber(type)) {
      const [scale, limit] = type.kind === 'decimal' ? [type.scale, 10 ** type.precision] : [0, Infinity];
      kernel.setColumn(
        i,
        layout.places[i]!,
        KernelKind.number,
        scale,
        byteOf(column.decimalComma || column.thousands === '.' ? ',' : '.'),
        limit,
      );
      return KernelKind.number;
    }
    const pattern = column.pattern ?? (type.kind === 'date' ? DEFAULT_DATE_PATTERN : undefined);
    const fixed =
      pattern !== undefined && (type.kind === 'date' || type.kind === 'timestamp')
        ? fixedLayout(pattern)
        : undefined;
    if (fixed && (type.kind === 'timestamp' || fixed.hour < 0)) {
      kernel.setColumn(i, layout.places[i]!, KernelKind.moment, 0, 0, 0);
      const { shape, year, month, day, hour, minute, second, fraction, digits } = fixed;
      const inDays = type.kind === 'date' ? 1 : 0;
      const at = kernel.setMoment(
        i,
        shape.length,
        year,
        month,
        day,
        hour,
        minute,
        second,
        fraction,
        digits,
        inDays,
      );
      new Uint8Array(kernel.memory.buffer).set(shape, at);
      return KernelKind.moment;
    }
    kernel.setColumn(i, layout.places[i]!, KernelKind.text, 0, 0, 0);
    return KernelKind.text;
  }

  /**
   * Where to write a piece of up to `bytes` bytes before it is read. What it held is lost where it has to
   * grow.
   */
  buffer(bytes: number): Uint8Array {
    if (bytes > this.room) {
      this.bufferAt = this.kernel.room(bytes);
      this.room = bytes;
    }
    return new Uint8Array(this.kernel.memory.buffer, this.bufferAt, bytes);
  }

  /**
   * Reads the records of the buffer that start before `stop`; the bytes go up to `end`, and with `last` the
   * file ends there.
   * `next` is where the first record starts that was not read: at or behind `stop`, or not whole.
   */
  read(stop: number, end: number, last: boolean): { chunk: Chunk; next: number } {
    const { kernel, bufferAt } = this;
    const misfits = this.spec.columns.map(() => new Map<string, MisfitText>());
    const wide = this.spec.columns.map(() => new Map<number, bigint>());
    kernel.startChunk();
    let at = bufferAt;
    for (;;) {
      kernel.take(at, bufferAt + stop, bufferAt + end, last ? 1 : 0);
      const next = kernel.position.value;
      if (kernel.hardCells.value > 0) this.readHard(misfits, wide);
      if (next === at) break;
      at = next;
    }
    const chunk: Chunk = {
      rows: kernel.rows.value,
      lines: kernel.line.value,
      lineOf: this.linesOf(),
      problems: this.problems(),
      leftOut: kernel.leftOut.value,
      misfits,
      padded: this.spec.columns.map(({ type }, i) => (type.kind === 'integer' ? kernel.paddedOf(i) : 0)),
      cells: this.spec.columns.map((_, i) => this.cells(i, wide[i]!)),
    };
    this.kinds.forEach((kind, i) => {
      if (
        kind === KernelKind.text &&
        (kernel.entriesOf(i) > SEALED_ENTRIES || kernel.bytesOf(i) > SEALED_BYTES)
      )
        this.seal(i);
    });
    return { chunk, next: at - bufferAt };
  }

  /**
   * Dictionaries of a column that were sealed since they were last asked for, by epoch; `all` ends the
   * reading and seals the rest.
   */
  takeSealed(i: number, all: boolean): SortedTexts[] {
    if (all && this.kinds[i] === KernelKind.text) this.seal(i);
    return this.sealed[i]!.splice(0);
  }

  private seal(i: number): void {
    const { kernel } = this;
    kernel.sortTexts(i);
    const [size, used] = [kernel.entriesOf(i), kernel.bytesOf(i)];
    const { buffer } = kernel.memory;
    this.sealed[i]!.push({
      bytes: new Uint8Array(buffer, kernel.sortedAt(i), used).slice(),
      ends: new Uint32Array(buffer, kernel.sortedEndsAt(i), size).slice(),
      rank: new Uint32Array(buffer, kernel.rankAt(i), size).slice(),
      ascii: kernel.isAscii(i) !== 0,
    });
    this.epochs[i]!++;
    kernel.resetTexts(i);
  }

  private cells(i: number, wide: ReadonlyMap<number, bigint>): ChunkCells {
    const { kernel } = this;
    const bytes = kernel.narrow(i);
    const { buffer } = kernel.memory;
    const rows = kernel.rows.value;
    const at = kernel.outOf(i);
    if (bytes === 8 || wide.size > 0) return { kind: 'numbers', values: this.doubles(i, bytes), wide };
    const codes: Codes =
      bytes === 0
        ? new Uint8Array(rows)
        : bytes === 1
          ? new Uint8Array(buffer, at, rows).slice()
          : bytes === 2
            ? new Uint16Array(buffer, at, rows).slice()
            : new Uint32Array(buffer, at, rows).slice();
    if (this.kinds[i] === KernelKind.text) return { kind: 'texts', epoch: this.epochs[i]!, codes };
    return { kind: 'offsets', low: kernel.lowOf(i), high: kernel.highOf(i), codes };
  }

  /** Values as doubles, also where the kernel has narrowed them already. */
  private doubles(i: number, bytes: number): Float64Array {
    const { kernel } = this;
    const rows = kernel.rows.value;
    const { buffer } = kernel.memory;
    const at = kernel.outOf(i);
    if (bytes === 8) return new Float64Array(buffer, at, rows).slice();
    const low = kernel.lowOf(i);
    const codes =
      bytes === 1
        ? new Uint8Array(buffer, at, rows)
        : bytes === 2
          ? new Uint16Array(buffer, at, rows)
          : new Uint32Array(buffer, at, rows);
    return Float64Array.from({ length: rows }, (_, row) =>
      bytes === 0 || codes[row] === 0 ? NaN : codes[row]! - 1 + low,
    );
  }

  private linesOf(): Uint32Array | undefined {
    const { kernel } = this;
    const lines = new Uint32Array(kernel.memory.buffer, kernel.linesAt(), kernel.rows.value);
    for (let row = 0; row < lines.length; row++) if (lines[row] !== row) return lines.slice();
    return undefined;
  }

  private textOf(start: number, length: number): string {
    const text = decoder.decode(new Uint8Array(this.kernel.memory.buffer, start, length & ~DOUBLED));
    const { quote } = this.spec.dialect;
    return (length & DOUBLED) !== 0 ? text.replaceAll(quote + quote, quote) : text;
  }

  /** Reads from their texts the cells that the kernel could not read for certain. */
  private readHard(misfits: Map<string, MisfitText>[], wide: Map<number, bigint>[]): void {
    const { kernel } = this;
    const cells = new Uint32Array(kernel.memory.buffer, kernel.hardAt(), kernel.hardCells.value * 4);
    const lines = new Uint32Array(kernel.memory.buffer, kernel.linesAt(), kernel.rows.value);
    for (let k = 0; k < cells.length; k += 4) {
      const [i, row] = [cells[k]!, cells[k + 1]!];
      const text = this.textOf(cells[k + 2]!, cells[k + 3]!);
      if (this.nulls.has(text)) continue;
      const value = this.readers[i]!(text);
      if (typeof value === 'number') kernel.put(i, row, value);
      else if (typeof value === 'bigint') wide[i]!.set(row, value);
      else noteMisfit(misfits[i]!, text, lines[row]!);
    }
  }

  private problems(): ReadProblem[] {
    const { kernel, spec, layout } = this;
    const found: ReadProblem[] = [];
    const view = new Uint32Array(
      kernel.memory.buffer,
      kernel.problemsAt(),
      Math.min(kernel.leftOut.value, KEPT_PROBLEMS) * 6,
    );
    for (let k = 0; k < view.length; k += 6) {
      const [start, end, line, fields, what, field] = view.subarray(k, k + 6);
      const text = this.firstField(start, end);
      const place = what === KernelProblem.longField ? layout.places.indexOf(field) : -1;
      // A record over several lines is one that a quote has swallowed.
      const records = what === KernelProblem.longField ? 1 : this.lineCount(start!, end!);
      const swallowed = records > 1 ? `, which swallows ${records} lines` : '';
      const message =
        what === KernelProblem.ragged
          ? `${fields} fields where ${layout.width} are expected${records > 1 ? ` on ${records} lines: is a quote not closed?` : ''}`
          : what === KernelProblem.openQuote
            ? `a quote is not closed${swallowed}`
            : what === KernelProblem.textAfterQuote
              ? `text after a closing quote${swallowed}`
              : `the field has ${fields} bytes, the most is ${LARGEST_FIELD_BYTES}`;
      found.push({
        line: line!,
        ...(place >= 0 ? { column: spec.columns[place]!.name } : {}),
        text,
        message,
        kind: 'unread',
        ...(records > 1 ? { records } : {}),
      });
    }
    return found;
  }

  /** Lines of a record that are not empty; at least one. */
  private lineCount(start: number, end: number): number {
    const bytes = new Uint8Array(this.kernel.memory.buffer, start, end - start);
    const newline = byteOf(this.spec.dialect.newline);
    let [lines, length] = [0, 0];
    for (const byte of bytes) {
      if (byte !== newline) {
        if (byte !== CARRIAGE_RETURN) length++;
        continue;
      }
      if (length > 0) lines++;
      length = 0;
    }
    return Math.max(1, lines + (length > 0 ? 1 : 0));
  }

  /** The first field of a record that was left out, for showing. */
  private firstField(start: number, end: number): string {
    const { delimiter, quote } = this.spec.dialect;
    const shown = decoder.decode(
      new Uint8Array(this.kernel.memory.buffer, start, Math.min(end - start, 400)),
    );
    const record = shown.replace(/\r?\n$/, '');
    const quoted = quote !== '' && record.startsWith(quote);
    const cut = record.indexOf(quoted ? quote : delimiter, quoted ? 1 : 0);
    const text = record.slice(quoted ? 1 : 0, cut < 0 ? record.length : cut);
    return text.length > 80 ? `${text.slice(0, 80)}…` : text;
  }
}

const CARRIAGE_RETURN = 13;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** What to say of a record that does not end. */
export const endlessRecord = (table: string, line: number): string =>
  `table ${table}: the record that starts on line ${line} is longer than ${LARGEST_RECORD_BYTES >> 20} MB: is a quote not closed?`;
