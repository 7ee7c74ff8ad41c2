import type { DataType, Value } from '../values/index.ts';
import { textReader } from '../values/index.ts';
import type { Arena, Domain, Misfits, MisfitText, MisfitTexts, Stretch, TextList } from '../columns/index.ts';
import {
  CodeStream,
  columnOfValues,
  decodeDomain,
  domainOfDistinct,
  encodeDomain,
  encodeTextBytes,
  LARGEST_RANGE,
  listDomain,
  mergeLists,
  misfitsOf,
  MOST_COUNTED,
  noteMisfit,
  NumberSet,
  prefersRange,
  rangeDomain,
  withEncoder,
} from '../columns/index.ts';
import type { ChunkCells, SortedTexts } from './chunkReader.ts';
import type { MergedTexts, Texts } from './sortedTexts.ts';
import { decodeTexts, mergeTexts, placeOfText } from './sortedTexts.ts';
import type { ColumnToRead } from './spec.ts';

/** A column's chunks in the order of the file. `cells` may be asked several times for the same chunk. */
export interface ColumnChunks {
  readonly column: ColumnToRead;
  readonly chunks: readonly ColumnChunk[];
  cells(k: number): ChunkCells;
  /** By reader, then by epoch. */
  readonly dictionaries: readonly (readonly TextList[])[];
  /** False where dictionaries may hold texts that no row has: of pieces that were read in vain. */
  readonly exact: boolean;
  readonly nulls: ReadonlySet<string>;
  /** The file's line of a row of the table. */
  lineOf(row: number): number;
}

export interface ColumnChunk {
  readonly rows: number;
  readonly reader: number;
  /** With lines of the file. */
  readonly misfits: MisfitTexts;
  /** Whole numbers that are written with zeros in front. */
  readonly padded: number;
}

/** A finished column but for its codes, which went to the sink. */
export interface AssembledColumn {
  readonly name: string;
  readonly type: DataType;
  readonly rowCount: number;
  /** Values of the domain. */
  readonly size: number;
  readonly domain: () => Domain;
  /** As `encodeDomain` writes it. */
  readonly encodedDomain: () => Uint8Array;
  readonly distinct: number;
  readonly nulls: number;
  readonly runs: number;
  readonly padded: number;
  /** Rows per code, where there are at most `MOST_COUNTED` of them. */
  readonly counts: Uint32Array | undefined;
  readonly misfits: Misfits | undefined;
}

interface Plan {
  readonly size: number;
  readonly domain: () => Domain;
  readonly encoded?: () => Uint8Array;
  readonly distinct: number;
  readonly misfits?: Misfits | undefined;
  /** Brings the cells of chunk k to final codes. */
  push(stream: CodeStream, k: number): void;
}

/**
 * Brings a column's chunks into one domain and hands their final codes to the sink, `stretch` rows at a time.
 * The chunks are passed over two or three times; only their dictionaries are held.
 */
export function assembleColumn(
  source: ColumnChunks,
  stretch: number,
  sink: (stretch: Stretch) => void,
): AssembledColumn {
  const { column, chunks } = source;
  const rowCount = chunks.reduce((sum, { rows }) => sum + rows, 0);
  return withEncoder((arena) => {
    const plan = planOf(source, rowCount, arena);
    const stream = new CodeStream(
      arena,
      rowCount,
      stretch,
      plan.size <= MOST_COUNTED ? plan.size : undefined,
      sink,
    );
    chunks.forEach((_, k) => plan.push(stream, k));
    return {
      name: column.name,
      type: column.type,
      rowCount,
      size: plan.size,
      domain: plan.domain,
      encodedDomain: plan.encoded ?? (() => encodeDomain(plan.domain(), column.type)),
      distinct: plan.distinct,
      ...stream.finish(),
      padded: chunks.reduce((sum, chunk) => sum + chunk.padded, 0),
      misfits: plan.misfits ?? misfitsOf(chunks.map((chunk) => chunk.misfits)),
    };
  });
}

function planOf(source: ColumnChunks, rowCount: number, arena: Arena): Plan {
  if (source.chunks.length === 0)
    return { size: 0, domain: () => listDomain([]), distinct: 0, push: () => undefined };
  if (source.cells(0).kind === 'texts') return planTexts(source, rowCount, arena);
  return planNumbers(source, rowCount, arena);
}

// ---- texts ----

function planTexts(source: ColumnChunks, rowCount: number, arena: Arena): Plan {
  const { column, dictionaries } = source;
  const pushedBy = (tables: readonly number[]): Plan['push'] => {
    const firstOf = dictionaries.map((_, reader) =>
      dictionaries.slice(0, reader).reduce((sum, list) => sum + list.length, 0),
    );
    return (stream, k) => {
      const { codes, epoch } = textsOf(source.cells(k));
      stream.push(codes, { kind: 'table', at: tables[firstOf[source.chunks[k]!.reader]! + epoch]! });
    };
  };
  if (column.type.kind === 'text' && source.exact) {
    const lists = mergeLists(arena, dictionaries.flat(), source.nulls);
    if (lists) {
      const { size, encoded } = lists;
      return {
        size,
        distinct: size,
        encoded: () => encoded,
        domain: () => decodeDomain(encoded),
        push: pushedBy(lists.tables),
      };
    }
  }
  // Texts that are to be typed, or not all of which count: all of them come into memory.
  const merged = mergeTexts(dictionaries.flat().map(inMemory));
  const used = source.exact ? undefined : usedPlaces(source, merged);
  const made =
    column.type.kind === 'text'
      ? ofTexts(merged, source, used)
      : ofTypedTexts(merged, source, rowCount, used);
  const tables = dictionaries.flat().map((list, d) => {
    const places = merged.places[d];
    const codes = list.rank().map((place) => made.codeOf[places ? places[place]! : place]!);
    return arena.put(codes);
  });
  return { ...made, push: pushedBy(tables) };
}

const inMemory = (list: TextList): SortedTexts => ({
  bytes: list.bytes(0, list.byteLength),
  ends: list.ends(0, list.size),
  rank: list.rank(),
  ascii: list.ascii,
});

type Coded = Omit<Plan, 'push'> & { codeOf: Uint32Array };

function textsOf(cells: ChunkCells): Extract<ChunkCells, { kind: 'texts' }> {
  if (cells.kind !== 'texts') throw new RangeError('a chunk of texts holds numbers');
  return cells;
}

function offsetsOf(cells: ChunkCells): Extract<ChunkCells, { kind: 'offsets' }> {
  if (cells.kind !== 'offsets') throw new RangeError('a chunk of numbers is not by offsets');
  return cells;
}

/** Distinct texts are distinct values, and their order is known: they never become strings here. */
function ofTexts(merged: MergedTexts, source: ColumnChunks, used: Uint8Array | undefined): Coded {
  const { nulls } = source;
  const out = leftOutPlaces(merged, nulls, used);
  const codeOf = new Uint32Array(merged.ends.length);
  let size = 0;
  const noneOut = out.places.size === 0;
  for (let place = 0; place < codeOf.length; place++)
    if (noneOut || !out.places.has(place)) codeOf[place] = ++size;
  const kept = out.places.size === 0 ? merged : without(merged, out.places);
  return {
    codeOf,
    size,
    distinct: size,
    domain: () => listDomain(decodeTexts(kept).texts),
    encoded: () => encodeTextBytes(kept.bytes, kept.ends),
    misfits: misfitsByPlace(source, merged, out.invalid),
  };
}

/** Places of texts that are no values: null markers, bytes that are not UTF-8, and texts that no row has. */
function leftOutPlaces(merged: MergedTexts, nulls: ReadonlySet<string>, used: Uint8Array | undefined) {
  const places = new Set<number>();
  for (const text of nulls) {
    const place = placeOfText(merged, new TextEncoder().encode(text));
    if (place >= 0) places.add(place);
  }
  used?.forEach((mark, place) => {
    if (mark === 0) places.add(place);
  });
  const { invalid } = merged.ascii ? { invalid: [] } : decodeTexts(merged);
  const broken = new Map(invalid.filter((k) => !places.has(k)).map((k) => [k, textAt(merged, k)]));
  for (const k of broken.keys()) places.add(k);
  return { places, invalid: broken };
}

const textAt = ({ bytes, ends }: MergedTexts, k: number): string =>
  new TextDecoder('utf-8', { ignoreBOM: true }).decode(bytes.subarray(k === 0 ? 0 : ends[k - 1], ends[k]));

function without(
  { bytes, ends, ascii }: MergedTexts,
  places: ReadonlySet<number>,
): Texts & { ascii: boolean } {
  const [keptBytes, keptEnds] = [new Uint8Array(bytes.length), new Uint32Array(ends.length - places.size)];
  let [at, size, start] = [0, 0, 0];
  for (let k = 0; k < ends.length; k++) {
    const end = ends[k]!;
    if (!places.has(k)) {
      keptBytes.set(bytes.subarray(start, end), at);
      at += end - start;
      keptEnds[size++] = at;
    }
    start = end;
  }
  return { bytes: keptBytes.subarray(0, at), ends: keptEnds, ascii };
}

/** Types distinct texts once each: several may be one value (1 and 01). */
function ofTypedTexts(
  merged: MergedTexts,
  source: ColumnChunks,
  rowCount: number,
  used: Uint8Array | undefined,
): Coded {
  const { texts, invalid } = decodeTexts(merged);
  const broken = new Set(invalid);
  const read = textReader(source.column.type, source.column);
  const codeOfValue = new Map<Value, number>();
  const distinct: Value[] = [];
  const bad = new Map<number, string>();
  const valueOf = new Uint32Array(texts.length);
  texts.forEach((text, place) => {
    if (source.nulls.has(text) || used?.[place] === 0) return;
    const value = broken.has(place) ? undefined : read(text);
    if (value === undefined) {
      bad.set(place, text);
      return;
    }
    let code = codeOfValue.get(value);
    if (code === undefined) {
      distinct.push(value);
      codeOfValue.set(value, (code = distinct.length));
    }
    valueOf[place] = code;
  });
  const { domain, remap } = domainOfDistinct(distinct, rowCount);
  return {
    codeOf: valueOf.map((code) => remap[code]!),
    size: domain.size,
    distinct: distinct.length,
    domain: () => domain,
    misfits: misfitsByPlace(source, merged, bad),
  };
}

/** Passes over the rows of a text column with the merged place of each. */
function eachPlace(
  source: ColumnChunks,
  merged: MergedTexts,
  visit: (place: number, row: number) => void,
): void {
  const { dictionaries, chunks } = source;
  const firstOf = dictionaries.map((_, reader) =>
    dictionaries.slice(0, reader).reduce((sum, list) => sum + list.length, 0),
  );
  const all = dictionaries.flat();
  let first = 0;
  chunks.forEach((chunk, k) => {
    const cells = textsOf(source.cells(k));
    const d = firstOf[chunk.reader]! + cells.epoch;
    const [rank, places, codes] = [all[d]!.rank(), merged.places[d], cells.codes];
    for (let row = 0; row < chunk.rows; row++) {
      const place = rank[codes[row]!]!;
      visit(places ? places[place]! : place, first + row);
    }
    first += chunk.rows;
  });
}

function usedPlaces(source: ColumnChunks, merged: MergedTexts): Uint8Array {
  const used = new Uint8Array(merged.ends.length);
  eachPlace(source, merged, (place) => (used[place] = 1));
  return used;
}

function misfitsByPlace(
  source: ColumnChunks,
  merged: MergedTexts,
  bad: ReadonlyMap<number, string>,
): Misfits | undefined {
  if (bad.size === 0) return undefined;
  const found = new Map<string, MisfitText>();
  eachPlace(source, merged, (place, row) => {
    const text = bad.get(place);
    if (text !== undefined) noteMisfit(found, text, source.lineOf(row));
  });
  return misfitsOf([found]);
}

// ---- numbers ----

function planNumbers(source: ColumnChunks, rowCount: number, arena: Arena): Plan {
  const { chunks, column } = source;
  let [low, high, offsets, wide] = [Infinity, -Infinity, true, false];
  chunks.forEach((_, k) => {
    const cells = source.cells(k);
    if (cells.kind === 'texts') throw new RangeError('a chunk of numbers holds texts');
    if (cells.kind === 'offsets') {
      low = Math.min(low, cells.low);
      high = Math.max(high, cells.high);
      return;
    }
    offsets = false;
    wide ||= cells.wide.size > 0;
    for (const value of cells.values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  });
  if (wide) return planWide(source, rowCount);
  if (low > high)
    return {
      size: 0,
      domain: () => listDomain([]),
      distinct: 0,
      push: (stream, k) => stream.pushCodes(chunks[k]!.rows, (out) => out.fill(0)),
    };
  const span = high - low + 1;
  // A bit for each number of the span is worth it where they lie close together.
  if (offsets && span <= LARGEST_RANGE && span <= Math.max(1 << 16, 64 * rowCount))
    return planSpan(source, low, span, rowCount, arena);
  return planSorted(source, column.type, rowCount);
}

/** Numbers of a span that fits memory as bits: which of them occur is marked. */
function planSpan(source: ColumnChunks, low: number, span: number, rowCount: number, arena: Arena): Plan {
  const set = new NumberSet(arena, span);
  source.chunks.forEach((_, k) => {
    const cells = offsetsOf(source.cells(k));
    set.add(cells.codes, cells.low - low);
  });
  const distinct = set.close();
  const range = prefersRange(low, low + span - 1, distinct, rowCount);
  const members = range ? undefined : set.members(distinct, low);
  return {
    size: range ? span : distinct,
    distinct,
    domain: members ? () => listDomain(members) : () => rangeDomain(low, span),
    push: (stream, k) => {
      const cells = offsetsOf(source.cells(k));
      const shift = cells.low - low;
      stream.push(cells.codes, range ? { kind: 'shift', shift } : { kind: 'rank', set, shift });
    },
  };
}

/**
 * Numbers far apart: those of each chunk, once each, are sorted together. One array holds them all, and no
 * copy is made of it.
 */
function planSorted(source: ColumnChunks, type: DataType, rowCount: number): Plan {
  const all = new Float64Array(rowCount);
  let filled = 0;
  source.chunks.forEach((_, k) => {
    const own = distinctOf(valuesOf(source.cells(k)));
    all.set(own, filled);
    filled += own.length;
  });
  const values = inPlaceDistinct(all.subarray(0, filled).sort());
  return {
    size: values.length,
    distinct: values.length,
    domain: () => listDomain(values),
    encoded: () => encodeDomain(listDomain(values), type),
    push: (stream, k) => {
      const numbers = valuesOf(source.cells(k));
      // A chunk's own values are few beside all: each is looked up once.
      const own = distinctOf(numbers);
      const codeOf = Uint32Array.from(own, (value) => placeOf(values, value) + 1);
      stream.pushCodes(numbers.length, (out, from) => {
        for (let i = 0; i < out.length; i++) {
          const value = numbers[from + i]!;
          out[i] = value === value ? codeOf[placeOf(own, value)]! : 0;
        }
      });
    },
  };
}

/** The different values of a sorted array, moved to its beginning. */
function inPlaceDistinct(sorted: Float64Array): Float64Array {
  let size = 0;
  for (let i = 0; i < sorted.length; i++)
    if (i === 0 || sorted[i] !== sorted[i - 1]) sorted[size++] = sorted[i]!;
  return sorted.subarray(0, size);
}

function valuesOf(cells: ChunkCells): Float64Array {
  if (cells.kind === 'numbers') return cells.values;
  if (cells.kind === 'texts') throw new RangeError('a chunk of numbers holds texts');
  return Float64Array.from(cells.codes, (code) => (code === 0 ? NaN : code - 1 + cells.low));
}

const distinctOf = (values: Float64Array): Float64Array =>
  inPlaceDistinct(values.filter((value) => value === value).sort());

function placeOf(sorted: Float64Array, value: number): number {
  let [low, high] = [0, sorted.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle]! < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Numbers beyond 2^53: held as values, the plain way. */
function planWide(source: ColumnChunks, rowCount: number): Plan {
  const values: Value[] = new Array(rowCount);
  let first = 0;
  const firstOf = source.chunks.map(({ rows }) => (first += rows) - rows);
  source.chunks.forEach((_, k) => {
    const cells = source.cells(k);
    const wide = cells.kind === 'numbers' ? cells.wide : new Map<number, bigint>();
    valuesOf(cells).forEach(
      (value, row) => (values[firstOf[k]! + row] = wide.get(row) ?? (Number.isNaN(value) ? null : value)),
    );
  });
  const { domain, codes, distinct } = columnOfValues(source.column.name, source.column.type, values);
  return {
    size: domain.size,
    distinct,
    domain: () => domain,
    push: (stream, k) =>
      stream.pushCodes(source.chunks[k]!.rows, (out, from) => {
        for (let i = 0; i < out.length; i++) out[i] = codes[firstOf[k]! + from + i]!;
      }),
  };
}
