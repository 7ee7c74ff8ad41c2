import type { DataType, Value } from '../values/index.ts';
import { textReader } from '../values/index.ts';
import type { Column, Misfits, ReadProblem, TableData } from '../columns/index.ts';
import { codesArray, columnOfCodes, domainOfDistinct, listDomain, tableOf } from '../columns/index.ts';
import type { Dialect } from './dialect.ts';
import { transcoder } from './dialect.ts';
import type { FieldSpans } from './scanner.ts';
import { fieldText, Scanner } from './scanner.ts';
import { NumberCollector, parseScaled } from './numberCollector.ts';
import type { CollectedTexts } from './textCollector.ts';
import { TextCollector } from './textCollector.ts';

export interface ColumnToRead {
  /** Name in the table. */
  readonly name: string;
  /** Name in the file's header, if another. */
  readonly fileName?: string;
  readonly type: DataType;
  readonly pattern?: string;
  readonly decimalComma?: boolean;
}

export interface ReadSpec {
  readonly table: string;
  readonly columns: readonly ColumnToRead[];
  readonly dialect: Dialect;
  /** Texts that mean null; by default the empty field. */
  readonly nulls?: readonly string[];
}

/** A file that cannot be read as asked for: the message says what, where and what to do. */
export class ReadError extends Error {}

const POINT = 46;
const COMMA = 44;
/** How many problems are kept by line; all are counted. */
const KEPT_PROBLEMS = 1000;
/** The longest field that is taken in. */
export const LARGEST_FIELD_BYTES = 1 << 20;

type Cells =
  | {
      kind: 'number';
      collector: NumberCollector;
      column: ColumnToRead;
      scale: number;
      limit: number;
      point: number;
      misfits: Map<string, { rows: number; line: number }>;
    }
  | { kind: 'text'; collector: TextCollector };

/**
 * Reads one delimited file into encoded columns, chunk by chunk. Rows with too few or too many fields, or with broken
 * quoting, are left out and listed; a value that is not of its column's type becomes null and is listed (see `misfits`).
 * Rows read = rows stored + rows listed.
 */
export class TableReader {
  private readonly scanner: Scanner;
  private readonly recode: (chunk: Uint8Array, last: boolean) => Uint8Array;
  private readonly cells: Cells[];
  private places: Int32Array | undefined;
  private width = 0;
  private rows = 0;
  private leftOut = 0;
  private readonly problems: ReadProblem[] = [];
  private readonly nulls: ReadonlySet<string>;
  private readonly nullLengths: ReadonlySet<number>;
  private readonly quote: string;
  private readonly emptyIsNull: boolean;
  private readonly onlyEmptyIsNull: boolean;
  /** Lines of rows, kept only from the first row on whose line is not row + header + 1. */
  private lines: Uint32Array | undefined;

  constructor(private readonly spec: ReadSpec) {
    const { dialect } = spec;
    this.quote = dialect.quote;
    this.nulls = new Set(spec.nulls ?? ['']);
    this.emptyIsNull = this.nulls.has('');
    this.onlyEmptyIsNull = this.nulls.size === (this.emptyIsNull ? 1 : 0);
    this.nullLengths = new Set([...this.nulls].map((text) => new TextEncoder().encode(text).length));
    this.recode = transcoder(dialect.encoding);
    this.cells = spec.columns.map((column) => {
      const { type } = column;
      return type.kind === 'integer' || type.kind === 'decimal'
        ? {
            kind: 'number',
            collector: new NumberCollector(),
            column,
            point: column.decimalComma ? COMMA : POINT,
            scale: type.kind === 'decimal' ? type.scale : 0,
            limit: type.kind === 'decimal' ? 10 ** type.precision : Infinity,
            misfits: new Map(),
          }
        : { kind: 'text', collector: new TextCollector() };
    });
    const byte = (text: string) => (text === '' ? 0 : text.charCodeAt(0));
    this.scanner = new Scanner(byte(dialect.delimiter), byte(dialect.quote), byte(dialect.newline), (spans) => this.record(spans));
    if (!dialect.header) {
      this.places = Int32Array.from(spec.columns, (_, i) => i);
      this.width = spec.columns.length;
    }
  }

  get rowCount(): number {
    return this.rows;
  }

  push(chunk: Uint8Array): void {
    this.guard(() => this.scanner.push(this.recode(chunk, false)));
  }

  /** Ends the file and encodes what was read. Throws ReadError for a file without a header line. */
  finish(): TableData {
    this.guard(() => {
      const tail = this.recode(new Uint8Array(0), true);
      if (tail.length > 0) this.scanner.push(tail);
      this.scanner.end();
    });
    if (!this.places) throw new ReadError(`the file of table ${this.spec.table} is empty: a header line with the column names is expected`);
    const misfits = new Map<string, Misfits>();
    const columns = this.spec.columns.map((column, i) => {
      const { made, bad } = this.encode(column, this.cells[i]!);
      if (bad) misfits.set(column.name.toLowerCase(), bad);
      return made;
    });
    return tableOf(this.spec.table, columns, { rowCount: this.rows, lineOf: (row) => this.lineOf(row), problems: this.listed(), misfits });
  }

  private guard(step: () => void): void {
    try {
      step();
    } catch (error) {
      if (error instanceof RangeError) throw new ReadError(`table ${this.spec.table}: ${error.message}`);
      throw error;
    }
  }

  private listed(): ReadProblem[] {
    const hidden = this.leftOut - this.problems.length;
    return hidden > 0 ? [...this.problems, { line: 0, message: `${hidden} more rows left out for like reasons` }] : this.problems;
  }

  private lineOf(row: number): number {
    return this.lines ? this.lines[row]! : row + (this.spec.dialect.header ? 2 : 1);
  }

  private record(spans: FieldSpans): void {
    if (!this.places) {
      this.header(spans);
      return;
    }
    if (spans.count === 1 && spans.starts[0] === spans.ends[0] && this.width > 1) return; // a blank line
    if (spans.flaw !== undefined) return this.leaveOut(spans, spans.flaw);
    if (spans.count !== this.width) return this.leaveOut(spans, `${spans.count} fields where ${this.width} are expected`);
    const wide = spans.ends[spans.count - 1]! - spans.starts[0]! > LARGEST_FIELD_BYTES;
    for (let i = 0; wide && i < this.places.length; i++) {
      const place = this.places[i]!;
      const bytes = spans.ends[place]! - spans.starts[place]!;
      if (bytes > LARGEST_FIELD_BYTES) {
        return this.leaveOut(spans, `the field has ${bytes} bytes, the most is ${LARGEST_FIELD_BYTES}`, this.spec.columns[i]!.name);
      }
    }
    this.keepLine(spans.line);
    for (let i = 0; i < this.places.length; i++) this.cell(spans, this.places[i]!, this.cells[i]!);
    this.rows++;
  }

  private keepLine(line: number): void {
    if (!this.lines) {
      if (line === this.lineOf(this.rows)) return;
      const lines = new Uint32Array(Math.max(1024, this.rows * 2));
      for (let row = 0; row < this.rows; row++) lines[row] = this.lineOf(row);
      this.lines = lines;
    }
    if (this.rows === this.lines.length) {
      const larger = new Uint32Array(this.lines.length * 2);
      larger.set(this.lines);
      this.lines = larger;
    }
    this.lines[this.rows] = line;
  }

  private cell(spans: FieldSpans, place: number, cells: Cells): void {
    const { bytes } = spans;
    const start = spans.starts[place]!;
    const end = spans.ends[place]!;
    if (cells.kind === 'text') {
      if (spans.doubled[place]) {
        const text = new TextEncoder().encode(fieldText(spans, place, this.quote));
        cells.collector.add(text, 0, text.length);
      } else cells.collector.add(bytes, start, end);
      return;
    }
    if (start === end && this.emptyIsNull) return cells.collector.addNull();
    const value = parseScaled(bytes, start, end, cells.scale, cells.point);
    // A number may be written like a null marker (0, -1): then its text decides.
    const plain = value === value && value < cells.limit && value > -cells.limit;
    if (plain && (this.onlyEmptyIsNull || !this.nullLengths.has(end - start))) return cells.collector.add(value);
    this.slowNumber(spans, place, cells, value);
  }

  private slowNumber(spans: FieldSpans, place: number, cells: Extract<Cells, { kind: 'number' }>, fast: number): void {
    const text = fieldText(spans, place, this.quote);
    if (this.nulls.has(text)) return cells.collector.addNull();
    if (fast === fast && Math.abs(fast) < cells.limit) return cells.collector.add(fast);
    const value = textReader(cells.column.type, cells.column)(text);
    if (typeof value === 'number') return cells.collector.add(value);
    if (typeof value === 'bigint') return cells.collector.addWide(value);
    const known = cells.misfits.get(text);
    if (known) known.rows++;
    else cells.misfits.set(text, { rows: 1, line: spans.line });
    cells.collector.addNull();
  }

  private header(spans: FieldSpans): void {
    const names = Array.from({ length: spans.count }, (_, i) => fieldText(spans, i, this.quote).trim().toLowerCase());
    this.width = spans.count;
    this.places = Int32Array.from(this.spec.columns, (column) => {
      const wanted = (column.fileName ?? column.name).trim().toLowerCase();
      const place = names.indexOf(wanted);
      if (place < 0) {
        throw new ReadError(
          `the file of table ${this.spec.table} has no column "${column.fileName ?? column.name}"; its header names ${names.slice(0, 12).join(', ')}${names.length > 12 ? ', …' : ''}`,
        );
      }
      return place;
    });
  }

  private leaveOut(spans: FieldSpans, message: string, column?: string): void {
    this.leftOut++;
    if (this.problems.length >= KEPT_PROBLEMS) return;
    const text = fieldText(spans, 0, this.quote);
    this.problems.push({
      line: spans.line,
      ...(column ? { column } : {}),
      text: text.length > 80 ? `${text.slice(0, 80)}…` : text,
      message,
    });
  }

  private encode(column: ColumnToRead, cells: Cells): { made: Column; bad?: Misfits } {
    if (cells.kind === 'number') {
      const bad = [...cells.misfits].map(([text, { rows, line }]) => ({ text, rows, line }));
      return { made: cells.collector.finish(column.name, column.type), bad: misfitsOf(bad) };
    }
    const collected = cells.collector.finish();
    // Bytes that are not UTF-8 are no text: such cells are listed like any value that is not of its type.
    if (column.type.kind === 'text' && collected.invalid.length === 0) return { made: encodeSorted(column, collected, this.nulls) };
    return encodeTexts(column, collected, this.nulls, (row) => this.lineOf(row));
  }
}

function misfitsOf(all: { text: string; rows: number; line: number }[]): Misfits | undefined {
  if (all.length === 0) return undefined;
  return {
    rows: all.reduce((sum, m) => sum + m.rows, 0),
    distinct: all.length,
    sample: all.sort((a, b) => b.rows - a.rows || a.line - b.line).slice(0, 20),
  };
}

/** A text column: the texts are the values, and their order is known. */
function encodeSorted(column: ColumnToRead, { texts, codes: places, order }: CollectedTexts, nulls: ReadonlySet<string>): Column {
  const values: string[] = [];
  const codeOf = new Uint32Array(texts.length);
  const longestNull = Math.max(-1, ...[...nulls].map((text) => text.length));
  for (const place of order) {
    if (texts[place]!.length <= longestNull && nulls.has(texts[place]!)) continue;
    values.push(texts[place]!);
    codeOf[place] = values.length;
  }
  const codes = codesArray(values.length, places.length);
  for (let row = 0; row < codes.length; row++) codes[row] = codeOf[places[row]!]!;
  return columnOfCodes(column.name, column.type, listDomain(values), codes);
}

/** Types distinct texts once each and turns places among them into a column's codes. */
export function encodeTexts(
  column: ColumnToRead,
  { texts, codes: places, invalid }: CollectedTexts,
  nulls: ReadonlySet<string>,
  lineOf: (row: number) => number,
): { made: Column; bad?: Misfits } {
  const read = textReader(column.type, column);
  const isText = column.type.kind === 'text';
  const broken = new Set(invalid);
  const codeOfValue = new Map<Value, number>();
  const distinct: Value[] = [];
  const bad = new Map<number, { text: string; rows: number; line: number }>();
  const valueOf = new Uint32Array(texts.length);
  texts.forEach((text, place) => {
    if (nulls.has(text)) return;
    const value = broken.has(place) ? undefined : read(text);
    if (value === undefined) {
      bad.set(place, { text, rows: 0, line: 0 });
      return;
    }
    // Distinct texts are distinct values; of other types several texts may be one value (1 and 01).
    let code = isText ? undefined : codeOfValue.get(value as Value);
    if (code === undefined) {
      distinct.push(value);
      code = distinct.length;
      if (!isText) codeOfValue.set(value, code);
    }
    valueOf[place] = code;
  });
  if (bad.size > 0) {
    for (let row = 0; row < places.length; row++) {
      const misfit = bad.get(places[row]!);
      if (!misfit) continue;
      if (misfit.rows++ === 0) misfit.line = lineOf(row);
    }
  }
  const { domain, remap } = domainOfDistinct(distinct, places.length);
  const codes = codesArray(domain.size, places.length);
  for (let row = 0; row < codes.length; row++) codes[row] = remap[valueOf[places[row]!]!]!;
  return { made: columnOfCodes(column.name, column.type, domain, codes), bad: misfitsOf([...bad.values()]) };
}

/** Reads a whole file that is in memory; for small files and tests. */
export function readTable(spec: ReadSpec, bytes: Uint8Array): TableData {
  const reader = new TableReader(spec);
  reader.push(bytes);
  return reader.finish();
}
