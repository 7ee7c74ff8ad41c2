import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Partition } from '../model/index.ts';
import type { DataType, Exact, Value } from '../values/index.ts';
import { civilFromDays, splitTimestamp, toText } from '../values/index.ts';

/** The part of rows that have no value to go by. */
export const NO_PART = '(none)';

/** The day of a date or moment as `2026`, `2026-Q2` or `2026-05`; a value as it is written. */
export function partOfValue(value: Value, type: DataType, every: Partition['every']): string {
  if (value === null) return NO_PART;
  if (every === 'value') return toText(value, type);
  const days = type.kind === 'timestamp' ? splitTimestamp(value as Exact).days : (value as number);
  const { year, month } = civilFromDays(days);
  const of = String(year).padStart(4, '0');
  if (every === 'year') return of;
  if (every === 'quarter') return `${of}-Q${Math.ceil(month / 3)}`;
  return `${of}-${String(month).padStart(2, '0')}`;
}

/** Why a column cannot be what rows are parted by; undefined where it can. */
export function partitionFault(type: DataType, every: Partition['every']): string | undefined {
  const isDay = type.kind === 'date' || type.kind === 'timestamp';
  return every === 'value' || isDay ? undefined : `parts by ${every} need a date or a timestamp`;
}

export interface PartedRows {
  readonly part: string;
  /** Row numbers, ascending. */
  readonly rows: Uint32Array;
}

/** Rows by their part, in the order of the parts' names, rows without a value last. */
export function partedRows(by: Column, every: Partition['every']): PartedRows[] {
  const values = columnValues(by);
  const numberOf = new Map<string, number>();
  const names: string[] = [];
  const partOf = new Int32Array(by.size + 1).fill(-1);
  const sizes: number[] = [];
  for (let code = 0; code < partOf.length; code++) {
    if (by.counts[code] === 0) continue;
    const name = partOfValue(values[code]!, by.type, every);
    let number = numberOf.get(name);
    if (number === undefined) {
      numberOf.set(name, (number = names.push(name) - 1));
      sizes.push(0);
    }
    partOf[code] = number;
    sizes[number]! += by.counts[code]!;
  }
  const rows = sizes.map((size) => new Uint32Array(size));
  const filled = new Uint32Array(sizes.length);
  for (let row = 0; row < by.rowCount; row++) {
    const number = partOf[by.codes[row]!]!;
    rows[number]![filled[number]!++] = row;
  }
  return names
    .map((part, k) => ({ part, rows: rows[k]! }))
    .sort((a, b) => Number(a.part === NO_PART) - Number(b.part === NO_PART) || (a.part < b.part ? -1 : 1));
}

/** The name that a part has in an order: `2025`, or with its table in front `loan:2025`. */
export const partNamed = (table: string, text: string): string =>
  text.toLowerCase().startsWith(`${table.toLowerCase()}:`) ? text.slice(table.length + 1) : text;
