import type { Table } from '../../model/index.ts';

/** What a formula belongs to. */
export type Scope =
  /** `via` is the relationship that the measure goes by. */
  { kind: 'measure'; via?: string } | { kind: 'row'; table: Table; own: string } | { kind: 'condition' };

/** Where an expression stands: over rows of a table (or of any, for a condition), or over a context. */
export type Place = { rows: true; own?: Table; aggregates: boolean } | { rows: false };

export type Mutable<T> = { -readonly [K in keyof T]: T[K] };
