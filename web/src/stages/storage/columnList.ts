import { columnPath } from '@crease/core/formula';
import type { ColumnProfile, Profile, ProfileDocument } from '@crease/core/storage';
import { bitsARow } from './ruler.ts';

/** A column of the model with its table, and what it weighed in the profile that it is compared with. */
export interface ListedColumn {
  readonly path: string;
  readonly table: string;
  readonly rows: number;
  readonly column: ColumnProfile;
  /** Bits of one row, the dictionary shared out. */
  readonly bits: number;
  /** Of that what its values do not need: bits of one row. */
  readonly spare: number;
  /** Bytes before; undefined where it was not there, or nothing is compared. */
  readonly before: number | undefined;
  /** Bytes in a Parquet file; undefined for what is derived, and where it was not asked for. */
  readonly parquet: number | undefined;
}

export function listedColumns(
  profile: Profile,
  before: ProfileDocument | undefined,
  parquet: Readonly<Record<string, number>> = {},
): ListedColumn[] {
  const known = new Map(
    (before?.tables ?? []).flatMap((t) =>
      t.columns.map((c) => [columnPath(t.name, c.name).toLowerCase(), c.totalBytes]),
    ),
  );
  return profile.tables.flatMap((t) =>
    t.columns.map((column): ListedColumn => {
      const path = columnPath(t.name, column.name);
      const data = bitsARow(column.dataBytes, t.rows);
      return {
        path,
        table: t.name,
        rows: t.rows,
        column,
        bits: bitsARow(column.totalBytes, t.rows),
        spare: Math.max(0, data - column.leastBits),
        before: known.get(path.toLowerCase()),
        parquet: parquet[path],
      };
    }),
  );
}

/** What is shown of a column in the list. Numbers sort from the largest, texts from A. */
export interface ListHead {
  readonly id: string;
  readonly says: string;
  /** What it means, for whoever points at it. */
  readonly means?: string;
  readonly width: string;
  readonly of: (c: ListedColumn) => string | number;
  /** As bytes, bits or a share; else as it is. */
  readonly as?: 'bytes' | 'bits' | 'share' | 'change';
}

export const HEADS: readonly ListHead[] = [
  { id: 'column', says: 'column', width: 'minmax(170px, 2fr)', of: (c) => c.path },
  { id: 'type', says: 'type', width: '104px', of: (c) => c.column.type },
  { id: 'bytes', says: 'bytes', width: '72px', of: (c) => c.column.totalBytes, as: 'bytes' },
  { id: 'share', says: 'share', width: '66px', of: (c) => c.column.share, as: 'share' },
  {
    id: 'bits',
    says: 'bits a row',
    means: 'codes and dictionary, shared out over the rows',
    width: '72px',
    of: (c) => c.bits,
    as: 'bits',
  },
  {
    id: 'least',
    says: 'needs',
    means: 'the least bits a row that its codes need, by what was measured',
    width: '60px',
    of: (c) => c.column.leastBits,
    as: 'bits',
  },
  {
    id: 'spare',
    says: 'spare',
    means: 'bits a row of its codes beyond what they need',
    width: '60px',
    of: (c) => c.spare,
    as: 'bits',
  },
  { id: 'codes', says: 'codes', width: '72px', of: (c) => c.column.dataBytes, as: 'bytes' },
  { id: 'dictionary', says: 'dictionary', width: '78px', of: (c) => c.column.dictionaryBytes, as: 'bytes' },
  { id: 'held', says: 'held as', width: '128px', of: (c) => c.column.encoding },
  { id: 'rows', says: 'rows', width: '82px', of: (c) => c.rows },
  { id: 'distinct', says: 'distinct', width: '82px', of: (c) => c.column.distinct },
  { id: 'nulls', says: 'nulls', width: '72px', of: (c) => c.column.nulls },
  { id: 'runs', says: 'stretches', width: '82px', of: (c) => c.column.runs },
  {
    id: 'run',
    says: 'rows each',
    means: 'mean rows of a stretch of equal values',
    width: '72px',
    of: (c) => (c.column.runs === 0 ? 0 : c.rows / c.column.runs),
    as: 'bits',
  },
  {
    id: 'segments',
    says: 'segments',
    width: '70px',
    of: (c) => c.column.held.reduce((n, h) => n + h.segments, 0),
  },
  { id: 'uses', says: 'uses', means: 'of it in the model', width: '52px', of: (c) => c.column.usedBy.length },
];

/** Bytes at rest, where it lies in the file: there its dictionary may be deflated, as Parquet's is packed. */
export const fileBytes = ({ column }: ListedColumn): number => column.storedBytes ?? column.totalBytes;

/** Beside the same column in a Parquet file, and how many times that it takes here. */
export const PARQUET: readonly ListHead[] = [
  {
    id: 'parquet',
    says: 'Parquet',
    means: 'the same column in a Parquet file packed with gzip',
    width: '76px',
    of: (c) => c.parquet ?? 0,
    as: 'bytes',
  },
  {
    id: 'ratio',
    says: 'here / there',
    means: 'bytes in the file here as a share of those in Parquet',
    width: '84px',
    of: (c) => (c.parquet ? fileBytes(c) / c.parquet : 0),
    as: 'share',
  },
];

/** The change from the profile compared with. */
export const CHANGE: ListHead = {
  id: 'change',
  says: 'change',
  width: '84px',
  of: (c) => c.column.totalBytes - (c.before ?? 0),
  as: 'change',
};

/** An order of the list: a head's id, with `-` in front of it turned round. */
export function sortedColumns(
  columns: readonly ListedColumn[],
  heads: readonly ListHead[],
  order: string,
): ListedColumn[] {
  const turned = order.startsWith('-');
  const head = heads.find((h) => h.id === (turned ? order.slice(1) : order)) ?? heads[2]!;
  const sign = turned ? -1 : 1;
  const compare = (a: ListedColumn, b: ListedColumn): number => {
    const [x, y] = [head.of(a), head.of(b)];
    if (typeof x === 'number' && typeof y === 'number') return y - x;
    return String(x).localeCompare(String(y));
  };
  return [...columns].sort((a, b) => sign * compare(a, b) || a.path.localeCompare(b.path));
}

/** Columns whose path, type, way of holding or use has all words of a search. */
export function matchingColumns(columns: readonly ListedColumn[], search: string): ListedColumn[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [...columns];
  return columns.filter(({ path, column }) => {
    const text = [path, column.type, column.encoding, ...column.usedBy].join(' ').toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

const cell = (value: string | number): string => {
  const text = String(value);
  return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
};

/** The list as CSV, numbers as they are: bytes, bits, shares from 0 to 1. */
export const columnsCsv = (columns: readonly ListedColumn[], heads: readonly ListHead[]): string =>
  [
    [...heads.map((h) => h.says), 'used by'].map(cell).join(','),
    ...columns.map((c) => [...heads.map((h) => cell(h.of(c))), cell(c.column.usedBy.join('; '))].join(',')),
  ].join('\n') + '\n';
