import type { Codes, Column, Misfits, ReadProblem, TableData } from '../columns/index.ts';
import { codesArray, columnOfParts, isRange, tableOf, valuesOfCodes } from '../columns/index.ts';
import type { AssembledColumn } from './assembleColumn.ts';
import { textList } from './chunkReader.ts';
import { assembleColumn } from './assembleColumn.ts';
import type { Chunk } from './chunkReader.ts';
import type { MisfitTexts } from '../columns/index.ts';
import { ChunkReader, endlessRecord, KEPT_PROBLEMS } from './chunkReader.ts';
import { transcoder } from './dialect.ts';
import { ReadError } from './errors.ts';
import type { Layout } from './header.ts';
import { readLayout } from './header.ts';
import { LARGEST_RECORD_BYTES } from './scanner.ts';
import type { ReadSpec } from './spec.ts';

/** Bytes that are read in one go. */
export const CHUNK_BYTES = 4 << 20;

/**
 * Reads one delimited file into encoded columns, from bytes that come in order. Rows with too few or too many
 * fields, or with broken quoting, are left out and listed; a value that is not of its column's type becomes
 * null and is listed (see `misfits`). Rows read = rows stored + rows listed.
 */
export class TableReader {
  private readonly recode: (chunk: Uint8Array, last: boolean) => Uint8Array;
  private held = new Uint8Array(1 << 16);
  private size = 0;
  private layout: Layout | undefined;
  private reader: ChunkReader | undefined;
  private readonly chunks: Chunk[] = [];
  private line = 0;

  constructor(private readonly spec: ReadSpec) {
    this.recode = transcoder(spec.dialect.encoding);
  }

  /** Takes the next bytes of the file. Throws ReadError where it cannot be read as asked for. */
  push(bytes: Uint8Array): void {
    this.hold(this.recode(bytes, false));
    if (this.size >= CHUNK_BYTES) this.readHeld(false);
  }

  /** Ends the file and encodes what was read. Throws ReadError for a file without a header line. */
  finish(): TableData {
    this.hold(this.recode(new Uint8Array(0), true));
    this.readHeld(true);
    return assembleTable(this.spec, this.layout!, this.chunks, this.reader!);
  }

  private hold(bytes: Uint8Array): void {
    if (this.size + bytes.length > this.held.length) {
      const larger = new Uint8Array(Math.max(this.held.length * 2, this.size + bytes.length));
      larger.set(this.held.subarray(0, this.size));
      this.held = larger;
    }
    this.held.set(bytes, this.size);
    this.size += bytes.length;
  }

  private readHeld(last: boolean): void {
    let from = 0;
    if (!this.reader) {
      this.layout = readLayout(this.spec, this.held.subarray(0, this.size), last);
      if (!this.layout) return;
      this.reader = new ChunkReader(this.spec, this.layout);
      this.line = this.layout.line;
      from = this.layout.bodyAt;
    }
    const bytes = this.held.subarray(from, this.size);
    this.reader.buffer(bytes.length).set(bytes);
    const { chunk, next } = this.reader.read(bytes.length, bytes.length, last);
    this.chunks.push(chunk);
    this.line += chunk.lines;
    this.held.copyWithin(0, from + next, this.size);
    this.size -= from + next;
    if (this.size > LARGEST_RECORD_BYTES) throw new ReadError(endlessRecord(this.spec.table, this.line));
  }
}

function assembleTable(
  spec: ReadSpec,
  layout: Layout,
  chunks: readonly Chunk[],
  reader: ChunkReader,
): TableData {
  const rowCount = chunks.reduce((sum, { rows }) => sum + rows, 0);
  const facts = linesOf(chunks, layout.line);
  const misfits = new Map<string, Misfits>();
  const columns = spec.columns.map((column, i): Column => {
    let wide = new Uint32Array(0);
    const made = assembleColumn(
      {
        column,
        chunks: chunks.map((chunk, k) => ({
          rows: chunk.rows,
          reader: 0,
          misfits: onLines(chunk.misfits[i]!, facts.firstLines[k]!),
          padded: chunk.padded[i]!,
        })),
        cells: (k) => chunks[k]!.cells[i]!,
        dictionaries: [reader.takeSealed(i, true).map(textList)],
        exact: true,
        nulls: new Set(spec.nulls ?? ['']),
        lineOf: facts.lineOf,
      },
      Math.max(1, rowCount),
      (all) => (wide = all.codes.slice()),
    );
    if (made.misfits) misfits.set(column.name.toLowerCase(), made.misfits);
    const codes = codesArray(made.size, rowCount);
    codes.set(wide);
    return columnOfAssembled(made, codes);
  });
  return tableOf(spec.table, columns, {
    rowCount,
    lineOf: facts.lineOf,
    problems: problemsOf(chunks, facts.firstLines),
    misfits,
  });
}

const columnOfAssembled = (made: AssembledColumn, codes: Codes): Column => {
  const { counts, encodedDomain, size, ...parts } = made;
  const dictionaryBytes = () => {
    const bytes = encodedDomain();
    return isRange(bytes) ? 0 : bytes.length;
  };
  return columnOfParts({
    ...parts,
    size: () => size,
    codes,
    encodedDomain,
    dictionaryBytes,
    ...(made.type.kind === 'text' ? { valuesOf: (some) => valuesOfCodes(encodedDomain(), some) } : {}),
    ...(counts ? { counts: () => counts } : {}),
  });
};

/** The misfits of a chunk with lines of the file. */
export const onLines = (misfits: MisfitTexts, firstLine: number): MisfitTexts =>
  misfits.size === 0
    ? misfits
    : new Map(
        [...misfits].map(([text, { rows, line, lines }]) => [
          text,
          { rows, line: line + firstLine, lines: lines.map((l) => l + firstLine) },
        ]),
      );

type ChunkLines = Pick<Chunk, 'rows' | 'lines' | 'lineOf'>;

/** The file's line of each row. `line` is where the first chunk starts, from 1. */
export function linesOf(
  chunks: readonly ChunkLines[],
  line: number,
): { firstLines: number[]; lineOf: (row: number) => number } {
  let [nextLine, nextRow] = [line, 0];
  const firstLines = chunks.map(({ lines }) => (nextLine += lines) - lines);
  const firstRows = chunks.map(({ rows }) => (nextRow += rows) - rows);
  const regular = chunks.every((chunk, k) => !chunk.lineOf && firstLines[k]! - firstRows[k]! === line);
  if (regular) return { firstLines, lineOf: (row) => row + line };
  return {
    firstLines,
    lineOf: (row) => {
      let [low, high] = [0, chunks.length - 1];
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if (firstRows[middle]! <= row) low = middle;
        else high = middle - 1;
      }
      const within = row - firstRows[low]!;
      return firstLines[low]! + (chunks[low]!.lineOf ? chunks[low]!.lineOf![within]! : within);
    },
  };
}

/** What was left out, by line of the file: the first thousand, and how many more. */
export function problemsOf(
  chunks: readonly Pick<Chunk, 'problems' | 'leftOut'>[],
  firstLines: readonly number[],
): ReadProblem[] {
  const listed = chunks
    .flatMap(({ problems }, k) =>
      problems.map((problem) => ({ ...problem, line: problem.line + firstLines[k]! })),
    )
    .slice(0, KEPT_PROBLEMS);
  const hidden = chunks.reduce((sum, { leftOut }) => sum + leftOut, 0) - listed.length;
  return hidden > 0
    ? [
        ...listed,
        {
          line: 0,
          message: `${hidden} more rows left out for like reasons`,
          kind: 'unread',
          records: hidden,
        },
      ]
    : listed;
}

/** Reads a whole file that is in memory; for small files and tests. */
export function readTable(spec: ReadSpec, bytes: Uint8Array): TableData {
  const reader = new TableReader(spec);
  reader.push(bytes);
  return reader.finish();
}
