import type { DataType, Value } from '../values/index.ts';
import { compareValues, sortTexts } from '../values/index.ts';
import type { Codes } from './codes.ts';
import { codesArray } from './codes.ts';
import { countCodes, mapCodes } from './combiner.ts';
import type { Domain } from './domain.ts';
import { dictionaryBytes, encodeDomain } from './dictionary.ts';
import { codeOfValue, listDomain, rangeDomain, valueOfCode, valuesByCode } from './domain.ts';
import type { EncodingName } from './encodings/index.ts';

/** A column as it lies encoded in the place that it is read from. */
export interface HeldColumn {
  readonly segments: readonly { readonly encoding: EncodingName | 'doubles'; readonly bytes: number }[];
  /** Of the dictionary as it is decoded from; none for a range and for doubles as they are. */
  readonly dictionaryBytes: number;
  /** Whether codes are distances from a least whole number. */
  readonly isRange: boolean;
  /** Codes and dictionary at rest, where dictionaries may be deflated. */
  readonly storedBytes: number;
}

/**
 * A column as the engine works on it: a domain, and one code per row (see `Domain`).
 * `counts[code]` is the number of rows with that code; it answers most claims without reading rows.
 */
export interface Column {
  readonly name: string;
  readonly type: DataType;
  readonly rowCount: number;
  readonly domain: Domain;
  readonly codes: Codes;
  readonly counts: Uint32Array;
  /** Distinct values that occur, null apart. */
  readonly distinct: number;
  readonly nulls: number;
  /** Stretches of equal neighbouring codes. */
  readonly runs: number;
  /** Bytes of the encoded dictionary; a range needs none. */
  readonly dictionaryBytes: number;
  /** Rows whose whole number its file wrote with zeros in front, as codes are. */
  readonly padded: number;
  /** Values of the domain, known without reading it where that is possible. */
  readonly size: number;
  /** As it lies where it is read from; undefined for what is only in memory. */
  readonly held: HeldColumn | undefined;
  /** The domain as `encodeDomain` writes it. */
  encodedDomain(): Uint8Array;
  /** The values of some codes, in their order: for a few of very many, without decoding them all. */
  valuesOf(codes: readonly number[]): Value[];
  /** The values of some rows, in their order: for a page of many, without decoding them all. */
  valuesAt(rows: readonly number[]): Value[];
}

/** What a column is made of. Its parts may come late: they are asked for once, when they are first needed. */
export interface ColumnParts {
  readonly name: string;
  readonly type: DataType;
  readonly rowCount: number;
  readonly domain: Domain | (() => Domain);
  readonly codes: Codes | (() => Codes);
  /**
   * Set where whoever gives the codes keeps them, and may take them back: then they are asked for each time.
   */
  readonly asksForCodes?: boolean;
  /** Values of the domain, where they are known without it. */
  readonly size?: () => number;
  /** By default counted over the codes. */
  readonly counts?: () => Uint32Array;
  readonly distinct: number | (() => number);
  readonly nulls: number;
  readonly runs: number | (() => number);
  /** Where it is known as it is encoded; by default the domain is. */
  readonly encodedDomain?: () => Uint8Array;
  /** By default the domain is encoded to tell. */
  readonly dictionaryBytes?: () => number;
  /** By default none. */
  readonly padded?: number;
  readonly held?: () => HeldColumn | undefined;
  /** By default the domain is asked. */
  readonly valuesOf?: (codes: readonly number[]) => Value[];
  /** By default the codes are asked. */
  readonly valuesAt?: (rows: readonly number[]) => Value[];
}

class CodedColumn implements Column {
  readonly name: string;
  readonly type: DataType;
  readonly rowCount: number;
  readonly nulls: number;
  readonly padded: number;
  private heldDistinct: number | undefined;
  private heldRuns: number | undefined;
  private heldBytes: number | undefined;
  private heldDomain: Domain | undefined;
  private heldCodes: Codes | undefined;
  private heldCounts: Uint32Array | undefined;

  constructor(private readonly parts: ColumnParts) {
    this.name = parts.name;
    this.type = parts.type;
    this.rowCount = parts.rowCount;
    this.nulls = parts.nulls;
    this.padded = parts.padded ?? 0;
  }

  get distinct(): number {
    const { distinct } = this.parts;
    return (this.heldDistinct ??= typeof distinct === 'function' ? distinct() : distinct);
  }

  get runs(): number {
    const { runs } = this.parts;
    return (this.heldRuns ??= typeof runs === 'function' ? runs() : runs);
  }

  get dictionaryBytes(): number {
    const { dictionaryBytes: known } = this.parts;
    return (this.heldBytes ??= known ? known() : dictionaryBytes(this.domain, this.type));
  }

  get held(): HeldColumn | undefined {
    return this.parts.held?.();
  }

  encodedDomain(): Uint8Array {
    const { encodedDomain } = this.parts;
    return encodedDomain ? encodedDomain() : encodeDomain(this.domain, this.type);
  }

  get domain(): Domain {
    const { domain } = this.parts;
    return (this.heldDomain ??= typeof domain === 'function' ? domain() : domain);
  }

  get size(): number {
    const { size } = this.parts;
    return this.heldDomain === undefined && size ? size() : this.domain.size;
  }

  valuesOf(codes: readonly number[]): Value[] {
    const { valuesOf } = this.parts;
    if (valuesOf && this.heldDomain === undefined) return valuesOf(codes);
    return codes.map((code) => valueOfCode(this.domain, code));
  }

  valuesAt(rows: readonly number[]): Value[] {
    const { valuesAt } = this.parts;
    if (valuesAt && this.heldCodes === undefined) return valuesAt(rows);
    const { codes } = this;
    const known = valueCaches.get(this);
    return known ? rows.map((row) => known[codes[row]!]!) : this.valuesOf(rows.map((row) => codes[row]!));
  }

  get codes(): Codes {
    const { codes, asksForCodes } = this.parts;
    if (asksForCodes && typeof codes === 'function') return codes();
    return (this.heldCodes ??= typeof codes === 'function' ? codes() : codes);
  }

  get counts(): Uint32Array {
    return (this.heldCounts ??= this.parts.counts ? this.parts.counts() : countCodes(this.size, this.codes));
  }
}

export const columnOfParts = (parts: ColumnParts): Column => new CodedColumn(parts);

/** The same rows under another name, with another domain of the same size, or held in another way. */
export const changedColumn = (
  column: Column,
  change: { name?: string; domain?: Domain; held?: HeldColumn },
): Column =>
  new CodedColumn({
    name: change.name ?? column.name,
    type: column.type,
    rowCount: column.rowCount,
    domain: change.domain ?? (() => column.domain),
    codes: () => column.codes,
    asksForCodes: true,
    counts: () => column.counts,
    distinct: () => column.distinct,
    nulls: column.nulls,
    runs: () => column.runs,
    padded: column.padded,
    ...(change.domain
      ? {}
      : {
          size: () => column.size,
          valuesOf: (codes) => column.valuesOf(codes),
          valuesAt: (rows) => column.valuesAt(rows),
          encodedDomain: () => column.encodedDomain(),
          held: () => change.held ?? column.held,
        }),
  });

/** The largest domain whose histogram is kept with a stored column. */
export const MOST_COUNTED = 1 << 22;

const valueCaches = new WeakMap<Column, Value[]>();

/** Values by code (index 0 is null), decoded once per column. */
export function columnValues(column: Column): Value[] {
  let values = valueCaches.get(column);
  if (!values) valueCaches.set(column, (values = valuesByCode(column.domain)));
  return values;
}

/**
 * The codes of some values, in their order: 0 for null, -1 where the domain does not hold one. Codes ascend
 * with their values, so that each is found by halves; a dictionary is asked for few values, not decoded.
 */
export function codesOfValues(column: Column, values: readonly Value[]): Int32Array {
  // Only dictionaries of texts can be asked without being decoded.
  if (column.type.kind !== 'text')
    return Int32Array.from(values, (value) => codeOfValue(column.domain, value));
  const codes = new Int32Array(values.length).fill(-1);
  const low = new Int32Array(values.length).fill(1);
  const high = new Int32Array(values.length).fill(column.size);
  let open = values.flatMap((value, i) => (value === null ? [] : [i]));
  values.forEach((value, i) => value === null && (codes[i] = 0));
  while ((open = open.filter((i) => codes[i] === -1 && low[i]! <= high[i]!)).length > 0) {
    const middle = open.map((i) => (low[i]! + high[i]!) >>> 1);
    column.valuesOf(middle).forEach((value, k) => {
      const i = open[k]!;
      const order = compareValues(value, values[i]!);
      if (order === 0) codes[i] = middle[k]!;
      else if (order < 0) low[i] = middle[k]! + 1;
      else high[i] = middle[k]! - 1;
    });
  }
  return codes;
}

export const valueAt = (column: Column, row: number): Value => columnValues(column)[column.codes[row]!]!;

/** A column of a finished code array: codes are counted, runs where they are asked for. */
export function columnOfCodes(name: string, type: DataType, domain: Domain, codes: Codes): Column {
  const counts = countCodes(domain.size, codes);
  let distinct = 0;
  for (let code = 1; code < counts.length; code++) if (counts[code]! > 0) distinct++;
  return new CodedColumn({
    name,
    type,
    rowCount: codes.length,
    domain,
    codes,
    counts: () => counts,
    distinct,
    nulls: counts[0]!,
    runs: () => countRuns(codes),
  });
}

/** Stretches of equal neighbouring codes. */
export function countRuns(codes: Codes): number {
  let runs = codes.length > 0 ? 1 : 0;
  for (let row = 1; row < codes.length; row++) if (codes[row] !== codes[row - 1]) runs++;
  return runs;
}

/**
 * Encodes values row by row: for derived columns, hand-typed members and tests. Values must be of the type.
 */
export function columnOfValues(name: string, type: DataType, values: ArrayLike<Value>): Column {
  const codeOf = new Map<Value, number>();
  const distinct: Value[] = [];
  const first = new Uint32Array(values.length);
  for (let row = 0; row < values.length; row++) {
    const value = values[row]!;
    if (value === null) continue;
    let code = codeOf.get(value);
    if (code === undefined) {
      distinct.push(value);
      codeOf.set(value, (code = distinct.length));
    }
    first[row] = code;
  }
  return columnOfNumbered(name, type, first, distinct);
}

/**
 * A column of what is made of the values of another: worked out once for each code (0 for null), whatever the
 * rows.
 */
export function columnByCode(
  name: string,
  column: Column,
  type: DataType,
  made: (code: number) => Value,
): Column {
  const { counts } = column;
  const numberOf = new Map<Value, number>();
  const distinct: Value[] = [];
  const numbers = new Uint32Array(column.size + 1);
  for (let code = 0; code < numbers.length; code++) {
    const value = counts[code] === 0 ? null : made(code);
    if (value === null) continue;
    let number = numberOf.get(value);
    if (number === undefined) numberOf.set(value, (number = distinct.push(value)));
    numbers[code] = number;
  }
  // As if it were made row by row: how values are held depends on how many rows there are.
  const { domain, remap } = domainOfDistinct(distinct, column.rowCount);
  const codes = codesArray(domain.size, column.rowCount);
  mapCodes(
    column.codes,
    numbers.map((number) => remap[number]!),
    codes,
  );
  return columnOfCodes(name, type, domain, codes);
}

/** A column of values by number: 0 is null, k is the k-th of the distinct values, which are in no order. */
export function columnOfNumbered(
  name: string,
  type: DataType,
  numbers: Uint32Array,
  distinct: readonly Value[],
  /** Of so many rows these are a sample: values are held as for all of them. */
  rows = numbers.length,
): Column {
  const { domain, remap } = domainOfDistinct(distinct, rows);
  const codes = codesArray(domain.size, numbers.length);
  mapCodes(numbers, remap, codes);
  return columnOfCodes(name, type, domain, codes);
}

/** A column of another name over the same codes. */
export const renamed = (column: Column, name: string): Column => changedColumn(column, { name });

/**
 * Sorts distinct non-null values into a domain. `remap[k]` is the code of the k-th given value (from 1);
 * remap[0] is 0. Whole numbers that lie close together become a range, which needs no dictionary.
 */
export function domainOfDistinct(
  distinct: readonly Value[],
  rowCount: number,
): { domain: Domain; remap: Uint32Array } {
  const remap = new Uint32Array(distinct.length + 1);
  if (distinct.length === 0) return { domain: listDomain([]), remap };
  if (distinct.every((value) => typeof value === 'number' && Number.isSafeInteger(value))) {
    const numbers = distinct as number[];
    let [low, high] = [Infinity, -Infinity];
    for (const value of numbers) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
    if (prefersRange(low, high, distinct.length, rowCount)) {
      numbers.forEach((value, k) => (remap[k + 1] = value - low + 1));
      return { domain: rangeDomain(low, high - low + 1), remap };
    }
  }
  if (isAscending(distinct)) {
    for (let k = 1; k < remap.length; k++) remap[k] = k;
    return { domain: listDomain([...distinct]), remap };
  }
  const sorted =
    typeof distinct[0] === 'string'
      ? sortTexts([...(distinct as string[])])
      : [...distinct].sort(compareValues);
  const place = new Map<Value, number>();
  sorted.forEach((value, k) => place.set(value, k + 1));
  distinct.forEach((value, k) => (remap[k + 1] = place.get(value)!));
  return { domain: listDomain(sorted), remap };
}

/** Keys and moments often come in their order already. */
function isAscending(values: readonly Value[]): boolean {
  for (let i = 1; i < values.length; i++) if (compareValues(values[i - 1]!, values[i]!) >= 0) return false;
  return true;
}

/**
 * The widest span that is held without a dictionary: its histogram, where one is asked for, takes four bytes
 * a value.
 */
export const LARGEST_RANGE = 1 << 28;

/**
 * Whether packing offsets from the minimum takes no more bytes than a dictionary of 8-byte values with packed
 * codes.
 */
export function prefersRange(low: number, high: number, distinct: number, rowCount: number): boolean {
  const span = high - low + 1;
  // A few values far apart would make arrays over all that lies between them.
  if (span > LARGEST_RANGE || span > Math.max(4096, 8 * rowCount)) return false;
  const bits = (n: number) => Math.ceil(Math.log2(n + 1));
  return span <= 256 || (bits(span) * rowCount) / 8 <= (bits(distinct) * rowCount) / 8 + distinct * 8;
}
