import type { NoMember } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Relationship } from '../model/index.ts';
import type { Route, Via } from '../relate/index.ts';
import type { Axis } from './context.ts';
import type { ModelRows } from './modelRows.ts';

// Why a row has no member of an attribute: where that is told apart, the null member of an axis is split by a
// second axis of the same column.

/**
 * How a row meets a table: it found a row there, its first reference is null, or a reference on the way has
 * no partner.
 */
export const FOUND = 0;
export const NO_REFERENCE = 1;
export const UNMATCHED = 2;

/** The member that stands for rows that found none. */
export const noMemberOf = (meets: number): NoMember | undefined =>
  meets === NO_REFERENCE ? { null: true } : meets === UNMATCHED ? { unmatched: true } : undefined;

export const meetsOf = (member: NoMember): number => ('null' in member ? NO_REFERENCE : UNMATCHED);

/**
 * An axis beside another one: how rows meet its table. It is dropped, reached and left out together with the
 * other.
 */
export const meetingAxis = (axis: Axis): Axis => ({
  name: axis.name,
  type: { kind: 'integer' },
  table: axis.table,
  ...(axis.column === undefined ? {} : { column: axis.column }),
  codes: new Uint8Array(0),
  width: 3,
  show: (code) => code,
  meets: true,
});

/**
 * The reference that a route begins with, and where its columns stand: on the base row, or on the bridge's
 * row that is met. Undefined where rows meet themselves, or the bridge itself.
 */
export function firstReference(
  route: Exclude<Route, { kind: 'ambiguous' }>,
): { readonly hop: Relationship; readonly on: 'base' | 'met' } | undefined {
  if (route.kind === 'lookup') return route.path[0] && { hop: route.path[0], on: 'base' };
  if (route.anchor[0]) return { hop: route.anchor[0], on: 'base' };
  if (route.kind === 'many-to-many') return { hop: route.entry, on: 'base' };
  return route.path[0] && { hop: route.path[0], on: 'met' };
}

/**
 * By row of a table, how it meets another that it looks up; undefined for the table itself, whose rows all
 * meet themselves.
 */
export function lookupMeetings(
  data: ModelRows,
  base: string,
  table: string,
  via: Via = [],
): Uint8Array | undefined {
  if (sameName(base, table)) return undefined;
  const index = data.lookupIndex(base, table, via);
  if (!index) return undefined;
  const first = data.checker.reach.lookup(base, table, via)![0]!;
  const columns = first.from.columns.map((name) => data.column(first.from.table, name).codes);
  return Uint8Array.from(index, (reference, row) =>
    reference !== 0 ? FOUND : columns.some((codes) => codes[row] === 0) ? NO_REFERENCE : UNMATCHED,
  );
}
