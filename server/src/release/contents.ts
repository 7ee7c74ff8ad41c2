import { createHash } from 'node:crypto';
import type { Column } from '@crease/core/columns';
import type { JudgedClaim } from '@crease/core/claims';
import { partedRows } from '@crease/core/load';
import type { Table } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { releasedTables } from '@crease/core/release';
import type { Exact } from '@crease/core/values';
import { formatExact, isExact, scaleOf } from '@crease/core/values';

/** A model at its rows, on its way to a target. */
export interface ReleaseOrder {
  readonly data: ModelData;
  readonly claims: readonly JudgedClaim[];
  /** The model file, word for word. */
  readonly document: string;
  readonly revision: number | null;
  readonly author: string | null;
  readonly now: Date;
  /** Rows that are there stay. */
  readonly definitionsOnly: boolean;
  /** Of tables in parts these parts alone. */
  readonly parts: readonly { readonly table: string; readonly part: string }[];
  readonly tell: (text: string) => void;
}

/** The rows of a table as they are released: derived columns are columns like others. */
export interface TableContents {
  readonly table: Table;
  readonly columns: readonly Column[];
  readonly rowCount: number;
  /** Of all values in their order: equal contents have equal ones. */
  readonly digest: string;
  /** Sums of columns of numbers, by name. */
  readonly sums: Readonly<Record<string, string | null>>;
}

/** What a release brings, table by table. Throws DataError where rows are missing. */
export const contentsOf = (data: ModelData): TableContents[] =>
  releasedTables(data.model).map((table) => {
    const columns = table.columns.map((c) => data.column(table.name, c.name));
    return {
      table,
      columns,
      rowCount: data.rowCount(table.name),
      digest: digestOf(columns),
      sums: sumsOf(columns),
    };
  });

function digestOf(columns: readonly Column[]): string {
  const hash = createHash('sha256');
  for (const column of columns) {
    const { codes } = column;
    hash.update(JSON.stringify([column.name, column.type, column.rowCount, codes.BYTES_PER_ELEMENT]));
    hash.update(column.encodedDomain());
    hash.update(new Uint8Array(codes.buffer, codes.byteOffset, codes.byteLength));
  }
  return hash.digest('base64url');
}

/** Sums of all columns of numbers; `rows` takes some of the rows alone. */
export function sumsOf(
  columns: readonly Column[],
  rows?: Uint32Array,
): Readonly<Record<string, string | null>> {
  const numbers = columns.filter((c) => isExact(c.type) || c.type.kind === 'double');
  return Object.fromEntries(numbers.map((column) => [column.name, sumOf(column, rows)]));
}

function sumOf(column: Column, rows: Uint32Array | undefined): string | null {
  const counts = rows ? countsOf(column, rows) : column.counts;
  const used = [...counts.keys()].filter((code) => code > 0 && counts[code]! > 0);
  if (used.length === 0) return null;
  const values = column.valuesOf(used);
  if (column.type.kind === 'double')
    return String(used.reduce((sum, code, i) => sum + counts[code]! * Number(values[i]), 0));
  const sum = used.reduce((total, code, i) => total + BigInt(counts[code]!) * BigInt(values[i] as Exact), 0n);
  return column.type.kind === 'decimal' ? formatExact(sum, scaleOf(column.type)) : String(sum);
}

function countsOf(column: Column, rows: Uint32Array): Uint32Array {
  const counts = new Uint32Array(column.size + 1);
  for (const row of rows) counts[column.codes[row]!]!++;
  return counts;
}

/** Rows of a part of a table that is kept in parts; undefined where it is in none or has no such part. */
export function rowsOfPart(contents: TableContents, part: string): Uint32Array | undefined {
  const { partition } = contents.table;
  const by = partition && contents.columns.find((c) => c.name.toLowerCase() === partition.by.toLowerCase());
  return by && partedRows(by, partition.every).find((p) => p.part === part)?.rows;
}

/** Whether two sums are the same; those of doubles as far as their order of adding lets them. */
export function sameSum(a: string | null, b: string | null, column: Column): boolean {
  if (a === b) return true;
  if (a === null || b === null || column.type.kind !== 'double') return false;
  const [x, y] = [Number(a), Number(b)];
  return Math.abs(x - y) <= 1e-9 * Math.max(1, Math.abs(x), Math.abs(y));
}
