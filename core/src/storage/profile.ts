import { formatType, TIMESTAMP, splitTimestamp } from '../values/index.ts';
import type { Exact, Value } from '../values/index.ts';
import type { Codes, Column, EncodingName } from '../columns/index.ts';
import {
  codesArray,
  columnByCode,
  columnValues,
  encodeSegments,
  prefersRawDoubles,
  SEGMENT_ROWS,
} from '../columns/index.ts';
import type { Hierarchy, Model } from '../model/index.ts';
import { cardinalityOf, sameName, shownNames } from '../model/index.ts';
import { DataError, levelColumn, parentRows } from '../query/index.ts';
import type { ModelData } from '../query/index.ts';
import { searchRowOrder } from './rowOrder.ts';
import { DATE, DATE_PATTERNS, datePattern, INTEGER, TIMESTAMP_PATTERNS } from '../values/index.ts';

export interface ColumnProfile {
  readonly name: string;
  readonly type: string;
  readonly distinct: number;
  readonly nulls: number;
  /** How values become codes, and how codes are held: `dictionary+runs`, `integers+packed`. */
  readonly encoding: string;
  readonly runs: number;
  readonly dataBytes: number;
  readonly dictionaryBytes: number;
  readonly totalBytes: number;
  /** Of the whole profile, 0 to 1. */
  readonly share: number;
}

export interface TableProfile {
  readonly name: string;
  readonly rows: number;
  readonly segments: number;
  readonly dataBytes: number;
  readonly dictionaryBytes: number;
  readonly relationshipBytes: number;
  readonly hierarchyBytes: number;
  readonly totalBytes: number;
  readonly share: number;
  readonly columns: readonly ColumnProfile[];
}

export interface Advice {
  readonly column: string;
  readonly change: string;
  readonly reason: string;
  readonly beforeBytes: number;
  readonly afterBytes: number;
}

export interface Profile {
  readonly tables: readonly TableProfile[];
  readonly relationships: readonly {
    readonly name: string;
    readonly fromDistinct: number;
    readonly toDistinct: number;
    readonly bytes: number;
  }[];
  readonly hierarchies: readonly { readonly name: string; readonly bytes: number }[];
  readonly advice: readonly Advice[];
  readonly totalBytes: number;
}

const segmentBytes = (codes: Codes): { bytes: number; encodings: EncodingName[] } => {
  const segments = encodeSegments(codes);
  return {
    bytes: segments.reduce((sum, s) => sum + s.bytes.length, 0),
    encodings: segments.map((s) => s.encoding),
  };
};

const mostFrequent = (names: readonly EncodingName[]): string =>
  [...new Set(names)].sort(
    (a, b) => names.filter((n) => n === b).length - names.filter((n) => n === a).length,
  )[0] ?? 'empty';

interface ColumnSize {
  readonly dataBytes: number;
  readonly dictionaryBytes: number;
  readonly encoding: string;
}

const sizes = new WeakMap<Column, ColumnSize>();

/**
 * Bytes that a column takes once encoded: its packed codes and its dictionary. Worked out once per column.
 */
export function columnBytes(column: Column): ColumnSize {
  let size = sizes.get(column);
  if (!size) sizes.set(column, (size = measureColumn(column)));
  return size;
}

function measureColumn(column: Column): ColumnSize {
  const { bytes, encodings } = segmentBytes(column.codes);
  if (prefersRawDoubles(column.type, column.dictionaryBytes, bytes, column.rowCount))
    return { dataBytes: column.rowCount * 8, dictionaryBytes: 0, encoding: 'doubles' };
  const kind = column.domain.kind === 'range' ? 'integers' : 'dictionary';
  return {
    dataBytes: bytes,
    dictionaryBytes: column.dictionaryBytes,
    encoding: `${kind}+${mostFrequent(encodings)}`,
  };
}

type Sized<T> = Omit<T, 'share'>;

/**
 * Encodes every column, relationship and hierarchy of the model (staging apart) and reports the bytes. All
 * sizes are of real encodings.
 */
export function profileModel(data: ModelData): Profile {
  const { model } = data;
  const relationships = relationshipSizes(data);
  const hierarchies = (model.hierarchies ?? []).map((h) => ({
    name: `${h.table}.${h.name}`,
    bytes: hierarchyBytes(data, h),
  }));
  const tables = model.tables
    .filter((t) => t.role !== 'staging')
    .map((table) => {
      const columns = table.columns.map((c): Sized<ColumnProfile> => {
        const column = data.column(table.name, c.name);
        const size = columnBytes(column);
        return {
          name: c.name,
          type: formatType(column.type),
          distinct: column.distinct,
          nulls: column.nulls,
          runs: column.runs,
          ...size,
          totalBytes: size.dataBytes + size.dictionaryBytes,
        };
      });
      const sum = (of: (c: Sized<ColumnProfile>) => number) => columns.reduce((total, c) => total + of(c), 0);
      const relationshipBytes = relationships
        .filter((r) => sameName(r.table, table.name))
        .reduce((total, r) => total + r.bytes, 0);
      const hierarchyTotal = hierarchies
        .filter((h) => h.name.toLowerCase().startsWith(`${table.name.toLowerCase()}.`))
        .reduce((total, h) => total + h.bytes, 0);
      const rows = data.rowCount(table.name);
      return {
        name: table.name,
        rows,
        segments: Math.ceil(rows / SEGMENT_ROWS),
        dataBytes: sum((c) => c.dataBytes),
        dictionaryBytes: sum((c) => c.dictionaryBytes),
        relationshipBytes,
        hierarchyBytes: hierarchyTotal,
        totalBytes: sum((c) => c.totalBytes) + relationshipBytes + hierarchyTotal,
        columns,
      };
    });
  const totalBytes = tables.reduce((sum, t) => sum + t.totalBytes, 0);
  const share = (bytes: number) => (totalBytes === 0 ? 0 : bytes / totalBytes);
  return {
    tables: tables.map((t) => ({
      ...t,
      share: share(t.totalBytes),
      columns: t.columns.map((c) => ({ ...c, share: share(c.totalBytes) })),
    })),
    relationships: relationships.map(({ name, fromDistinct, toDistinct, bytes }) => ({
      name,
      fromDistinct,
      toDistinct,
      bytes,
    })),
    hierarchies,
    advice: adviceOn(data),
    totalBytes,
  };
}

function relationshipSizes(
  data: ModelData,
): { name: string; table: string; fromDistinct: number; toDistinct: number; bytes: number }[] {
  return (data.model.relationships ?? []).flatMap((r) => {
    if (
      cardinalityOf(r) === 'many-to-many' ||
      isStaging(data.model, r.from.table) ||
      isStaging(data.model, r.to.table)
    )
      return [];
    try {
      const { codes, rowOf } = data.pathStart([r])!;
      const distinctOf = (end: typeof r.from) => data.column(end.table, end.columns[0]!).distinct;
      return [
        {
          name: r.name,
          table: r.from.table,
          fromDistinct: distinctOf(r.from),
          toDistinct: distinctOf(r.to),
          // What leads to the rows: by value where one column does, else by row.
          bytes: segmentBytes(rowOf ?? codes).bytes,
        },
      ];
    } catch (error) {
      // A relationship that names something missing holds nothing; its claims tell of it.
      if (error instanceof DataError) return [];
      throw error;
    }
  });
}

const isStaging = (model: Model, table: string): boolean =>
  model.tables.some((t) => sameName(t.name, table) && t.role === 'staging');

/** The parent of each member, level by level (or of each row, for a parent-child hierarchy), packed. */
function hierarchyBytes(data: ModelData, h: Hierarchy): number {
  try {
    if (h.parent !== undefined) return segmentBytes(parentRows(data, h).parents).bytes;
    const levels = (h.levels ?? []).map((level) => {
      const { table, column } = levelColumn(data, h, level.column);
      return { column: data.column(table, column), index: data.lookupIndex(h.table, table) };
    });
    let bytes = 0;
    for (let i = 1; i < levels.length; i++) {
      const [above, own] = [levels[i - 1]!, levels[i]!];
      const parents = codesArray(above.column.domain.size, own.column.domain.size + 1);
      const code = (level: typeof own, row: number) =>
        level.index
          ? level.index[row] === 0
            ? 0
            : level.column.codes[level.index[row]! - 1]!
          : level.column.codes[row]!;
      for (let row = 0; row < data.rowCount(h.table); row++) parents[code(own, row)] = code(above, row);
      bytes += segmentBytes(parents).bytes;
    }
    return bytes;
  } catch (error) {
    if (error instanceof DataError) return 0;
    throw error;
  }
}

/** The smallest saving worth a word. */
const WORTH_BYTES = 1024;

/** What would make columns cheaper, each measured by encoding the column the other way. */
function adviceOn(data: ModelData): Advice[] {
  const found = data.model.tables
    .filter((t) => t.role !== 'staging')
    .flatMap((t) =>
      t.columns.flatMap((c): Advice[] => {
        const column = data.column(t.name, c.name);
        const before = total(column);
        const name = `${t.name}.${c.name}`;
        if (c.formula !== undefined) return [];
        if (column.type.kind === 'timestamp')
          return splitMoment(name, column, columnValues(column), before, '');
        if (column.type.kind === 'text') {
          const moments = momentsOfTexts(column);
          if (moments)
            return splitMoment(
              name,
              column,
              moments.values,
              before,
              `declare it as a timestamp written ${moments.pattern}, and `,
            );
        }
        return [];
      }),
    );
  return [...found, ...unusedColumns(data), ...rowOrders(data)]
    .filter((a) => a.beforeBytes - a.afterBytes >= WORTH_BYTES)
    .sort((a, b) => b.beforeBytes - b.afterBytes - (a.beforeBytes - a.afterBytes));
}

const total = (column: Column): number => {
  const size = columnBytes(column);
  return size.dataBytes + size.dictionaryBytes;
};

function splitMoment(
  name: string,
  column: Column,
  values: readonly Value[],
  before: number,
  first: string,
): Advice[] {
  const parts = values.map((value) => (value === null ? null : splitTimestamp(value as Exact)));
  const of = (part: (p: { days: number; micros: number }) => number, type: Column['type']) =>
    total(columnByCode('part', column, type, (code) => (parts[code] ? part(parts[code]) : null)));
  const [day, second] = [of((p) => p.days, DATE), of((p) => Math.floor(p.micros / 1_000_000), INTEGER)];
  const change = first === '' ? 'split date and time' : `${first}split date and time`;
  const both: Advice = {
    column: name,
    change,
    reason: 'a moment to the second is nearly unique; its day and its time of day are not',
    beforeBytes: before,
    afterBytes: day + second,
  };
  const dayOnly: Advice = {
    column: name,
    change: `${first}keep the day only`,
    reason: 'if nobody asks for the time of day',
    beforeBytes: before,
    afterBytes: day,
  };
  return [both, dayOnly];
}

function momentsOfTexts(column: Column): { values: Value[]; pattern: string } | undefined {
  const texts = columnValues(column);
  if (texts.length < 3) return undefined;
  for (const text of [...TIMESTAMP_PATTERNS, ...DATE_PATTERNS]) {
    const pattern = datePattern(text)!;
    const values: Value[] = [];
    for (const t of texts) {
      const value = t === null ? null : pattern.parseTimestamp(t as string);
      if (value === undefined) break;
      values.push(value);
    }
    if (values.length === texts.length) return { values, pattern: text };
  }
  return undefined;
}

/** Sorting a fact's rows before they are loaded, where that packs better. */
function rowOrders(data: ModelData): Advice[] {
  return data.model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t): Advice[] => {
      const order = searchRowOrder(
        t.columns.filter((c) => c.formula === undefined).map((c) => data.column(t.name, c.name)),
      );
      if (!order) return [];
      const [first, ...more] = order.by;
      return [
        {
          column: `${t.name}.${first!}`,
          change: `sort the rows by ${order.by.join(', ')} before they are loaded`,
          reason: `equal values are then adjacent: the bytes are of all columns of ${t.name}${more.length > 0 ? '; each column was tried' : ''}`,
          beforeBytes: order.beforeBytes,
          afterBytes: order.afterBytes,
        },
      ];
    });
}

/**
 * Columns that nothing in the model uses and that are hidden or hardly repeat: leaving them out saves all of
 * them.
 */
function unusedColumns(data: ModelData): Advice[] {
  const { model } = data;
  const used = usedColumns(data);
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t) =>
      t.columns
        .filter(
          (c) =>
            !used.has(`${t.name}.${c.name}`.toLowerCase()) && c.use !== 'quantity' && c.formula === undefined,
        )
        .flatMap((c): Advice[] => {
          const column = data.column(t.name, c.name);
          return column.distinct > column.rowCount / 10
            ? [
                {
                  column: `${t.name}.${c.name}`,
                  change: 'leave the column out',
                  reason:
                    'no key, relationship, hierarchy, formula or perspective uses it, and its values hardly repeat',
                  beforeBytes: total(column),
                  afterBytes: 0,
                },
              ]
            : [];
        }),
    );
}

function usedColumns(data: ModelData): Set<string> {
  const { model, checker } = data;
  const used = new Set<string>();
  const note = (table: string, column: string) => used.add(`${table}.${column}`.toLowerCase());
  for (const t of model.tables) {
    for (const name of [...(t.key ?? []), t.label, t.snapshot, t.partition?.by]) if (name) note(t.name, name);
    for (const c of t.columns)
      if (c.formula !== undefined)
        for (const n of checker.column(t, c.name, c.formula, TIMESTAMP).columns) note(n.table, n.column);
  }
  for (const r of model.relationships ?? [])
    for (const end of [r.from, r.to]) for (const name of end.columns) note(end.table, name);
  for (const h of model.hierarchies ?? []) {
    for (const name of [h.key, h.parent, h.label]) if (name) note(h.table, name);
    for (const level of h.levels ?? [])
      for (const path of [level.column, level.key, level.orderBy].flat())
        if (path !== undefined)
          used.add((checker.names.column(h.table, path) ? `${h.table}.${path}` : path).toLowerCase());
  }
  for (const m of model.measures ?? [])
    for (const n of checker.measure(m.name)?.columns ?? []) note(n.table, n.column);
  for (const p of model.perspectives ?? [])
    for (const path of shownNames(p, 'columns')) used.add(path.toLowerCase());
  return used;
}
