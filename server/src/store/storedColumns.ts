import { constants, inflateRawSync } from 'node:zlib';
import { parseType, TEXT } from '@crease/core/values';
import type { Value } from '@crease/core/values';
import type {
  ArrayFor,
  Codes,
  Column,
  Domain,
  EncodedSegment,
  EncodingName,
  HeldColumn,
  KeepCodes,
  StoredSegment,
} from '@crease/core/columns';
import {
  codesArray,
  codesOfRawDoubles,
  columnOfCodes,
  columnOfParts,
  decodeDomain,
  decodeSegment,
  domainSize,
  holdsRawDoubles,
  isRange,
  rawDoublesAt,
  SEGMENT_ROWS,
  SIZE_BYTES,
  valueOfCode,
  valuesOfCodes,
} from '@crease/core/columns';
import { DataError } from '@crease/core/query';
import type { Connection } from './database.ts';

/** A column's row in the workspace, without its segments, and without what of it may be large. */
export interface StoredColumn {
  readonly id: number;
  readonly name: string;
  readonly source_name: string | null;
  readonly type: string;
  /** Where it takes no more than `LITTLE` bytes; others are read when they are needed. */
  readonly domain: Buffer | null;
  readonly domain_bytes: number;
  readonly domain_deflated: number;
  readonly nulls: number;
  readonly distinct_values: number;
  readonly runs: number | null;
  readonly padded: number;
  readonly counts_encoding: EncodingName | null;
}

/** Ranges and what stands in place of a dictionary take no more; dictionaries may take megabytes. */
const LITTLE = 64;

/** Codes of parts with no more rows are decoded as a whole also for a few rows: they are asked for again. */
const DECODED_WHOLE = 4 * SEGMENT_ROWS;

/** Columns as they lie in a workspace. */
export class StoredColumns {
  /**
   * `kept` keeps the codes of whole columns; by default each column does. Of columns with more rows than
   * `decodedWhole` a few are read from the segments that hold them.
   */
  constructor(
    private readonly db: Connection,
    private readonly kept: KeepCodes | undefined,
    private readonly decodedWhole = DECODED_WHOLE,
  ) {}

  /** What is known of the columns of a part, in their order. */
  of(partId: number): StoredColumn[] {
    const little = `case when length(domain) <= ${LITTLE} then domain end as domain, length(domain) as domain_bytes`;
    return this.db
      .prepare(
        `select id, name, source_name, type, ${little}, domain_deflated, nulls, distinct_values, runs, padded,
           case when counts is not null then counts_encoding end as counts_encoding
         from stored_column where table_id = ? order by ordinal`,
      )
      .all(partId) as StoredColumn[];
  }

  private bytesOf(columnId: number, what: 'domain' | 'counts'): Buffer {
    const row = this.db.prepare(`select ${what} as bytes from stored_column where id = ?`).get(columnId) as
      | { bytes: Buffer }
      | undefined;
    if (!row) throw replacedMeanwhile();
    return row.bytes;
  }

  /** A column whose dictionary, histogram and rows are decoded when they are first needed. */
  read(column: StoredColumn, rows: number): Column {
    const type = parseType(column.type) ?? TEXT;
    let domain: Domain | undefined;
    // A few values are asked for again and again; whoever needs the memory gets it back.
    let held: WeakRef<Buffer> | undefined;
    const stored = () => column.domain ?? this.bytesOf(column.id, 'domain');
    const encoded = () => {
      let bytes = held?.deref();
      if (!bytes) held = new WeakRef((bytes = column.domain_deflated ? inflateRawSync(stored()) : stored()));
      return bytes;
    };
    const raw = !column.domain_deflated && column.domain !== null && holdsRawDoubles(column.domain);
    const ranked = () => this.readDoubles(column.id, rows);
    const domainOf = () => (domain ??= raw ? ranked().domain : decodeDomain(encoded()));
    const size = () => domain?.size ?? sizeOf(stored(), column.domain_deflated !== 0) ?? domainOf().size;
    const decode = (arrayFor: ArrayFor) => {
      if (!raw) return this.readCodes(column.id, size(), rows, arrayFor);
      const made = ranked();
      domain ??= made.domain;
      return made.codes;
    };
    const valuesOf = (some: readonly number[]) =>
      domain || raw ? some.map((code) => valueOfCode(domainOf(), code)) : valuesOfCodes(encoded(), some);
    const { kept, db } = this;
    const codes = kept ? kept(`${db.name}\n${column.id}`, decode) : () => decode(codesArray);
    // Stored before statistics were kept with a column: all is read at once.
    if (column.runs === null) return columnOfCodes(column.name, type, domainOf(), codes());
    const { counts_encoding: encoding } = column;
    return columnOfParts({
      name: column.name,
      type,
      rowCount: rows,
      domain: domainOf,
      ...(raw ? {} : { size }),
      codes,
      asksForCodes: kept !== undefined,
      valuesAt: (some) =>
        this.bySegment(column.id, rows, some, (segment, own) => {
          if (raw) return rawDoublesAt(segment.bytes, own);
          const decoded = codesArray(size(), segment.rows);
          decodeSegment(segment as EncodedSegment, decoded, 0);
          return valuesOf(own.map((row) => decoded[row]!));
        }) ?? valuesOf(some.map((row) => codes()[row]!)),
      ...(raw
        ? {}
        : {
            encodedDomain: encoded,
            dictionaryBytes: () => dictionaryBytesOf(column, encoded),
          }),
      distinct: column.distinct_values,
      nulls: column.nulls,
      runs: column.runs,
      padded: column.padded,
      held: () => this.held(column, raw, encoded),
      ...(encoding ? { counts: () => readCounts(this.bytesOf(column.id, 'counts'), encoding, size()) } : {}),
      ...(raw ? {} : { valuesOf }),
    });
  }

  /** Bytes of a column as it lies here, without reading it. */
  private held(column: StoredColumn, raw: boolean, encoded: () => Buffer): HeldColumn {
    const segments = this.db
      .prepare('select encoding, length(bytes) as bytes from segment where column_id = ? order by ordinal')
      .all(column.id) as HeldColumn['segments'];
    const dictionaryBytes = raw ? 0 : dictionaryBytesOf(column, encoded);
    const storedBytes = segments.reduce((sum, s) => sum + s.bytes, column.domain_bytes);
    return { segments, dictionaryBytes, isRange: isWholeRange(column), storedBytes };
  }

  private readCodes(columnId: number, largest: number, rows: number, arrayFor: ArrayFor): Codes {
    const codes = arrayFor(largest, rows);
    let at = 0;
    for (const segment of this.segments(columnId)) {
      decodeSegment(segment as EncodedSegment, codes, at);
      at += segment.rows;
    }
    if (at !== rows) throw replacedMeanwhile();
    return codes;
  }

  private readDoubles(columnId: number, rows: number): { domain: Domain; codes: Codes } {
    const segments = [...this.segments(columnId)];
    if (segments.reduce((sum, s) => sum + s.rows, 0) !== rows) throw replacedMeanwhile();
    return codesOfRawDoubles(segments, rows);
  }

  /**
   * Values of some rows from the segments that hold them. Undefined where these are most of the column: then
   * its codes may as well be decoded, which are kept.
   */
  private bySegment(
    columnId: number,
    rows: number,
    some: readonly number[],
    valuesIn: (segment: StoredSegment, own: readonly number[]) => readonly Value[],
  ): Value[] | undefined {
    if (rows <= this.decodedWhole) return undefined;
    const sizes = this.db
      .prepare('select ordinal, rows from segment where column_id = ? order by ordinal')
      .all(columnId) as { ordinal: number; rows: number }[];
    if (sizes.reduce((sum, s) => sum + s.rows, 0) !== rows) throw replacedMeanwhile();
    const places = some.map((_, place) => place).sort((a, b) => some[a]! - some[b]!);
    const wanted: { ordinal: number; from: number; places: number[] }[] = [];
    let [first, next] = [0, 0];
    for (const { ordinal, rows: count } of sizes) {
      const from = next;
      while (next < places.length && some[places[next]!]! < first + count) next++;
      if (next > from) wanted.push({ ordinal, from: first, places: places.slice(from, next) });
      first += count;
    }
    if (2 * wanted.length > sizes.length) return undefined;
    const values = new Array<Value>(some.length);
    const read = this.db.prepare(
      'select rows, encoding, bytes from segment where column_id = ? and ordinal = ?',
    );
    for (const { ordinal, from, places: here } of wanted) {
      const segment = read.get(columnId, ordinal) as StoredSegment | undefined;
      if (!segment) throw replacedMeanwhile();
      const own = here.map((place) => some[place]! - from);
      valuesIn(segment, own).forEach((value, k) => (values[here[k]!] = value));
    }
    return values;
  }

  private segments(columnId: number): IterableIterator<StoredSegment> {
    const sql = 'select rows, encoding, bytes from segment where column_id = ? order by ordinal';
    return this.db.prepare(sql).iterate(columnId) as IterableIterator<StoredSegment>;
  }
}

const isWholeRange = ({ domain, domain_deflated }: StoredColumn): boolean =>
  !domain_deflated && domain !== null && isRange(domain);

/** Of a dictionary as it is decoded from; a range has none. */
function dictionaryBytesOf(column: StoredColumn, encoded: () => Buffer): number {
  if (isWholeRange(column)) return 0;
  return column.domain_deflated ? encoded().length : column.domain_bytes;
}

/** The size of a dictionary at rest, without inflating it where its first bytes tell. */
function sizeOf(domain: Buffer, isDeflated: boolean): number | undefined {
  if (!isDeflated) return domainSize(domain, true);
  const head = inflateRawSync(domain.subarray(0, 4096), { finishFlush: constants.Z_SYNC_FLUSH });
  return head.length >= SIZE_BYTES ? domainSize(head, false) : undefined;
}

/** Rows that a load has replaced while somebody was reading them. */
export const replacedMeanwhile = (): DataError =>
  new DataError('these rows have been replaced meanwhile: ask again');

function readCounts(bytes: Buffer, encoding: EncodingName, size: number): Uint32Array {
  const counts = new Uint32Array(size + 1);
  decodeSegment({ encoding, rows: counts.length, bytes }, counts, 0);
  return counts;
}
