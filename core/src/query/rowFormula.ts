import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Evaluate, Typed, TypedAggregate } from '../formula/index.ts';
import { compileScalar } from '../formula/index.ts';
import type { Via } from '../relate/index.ts';
import type { ModelRows } from './modelRows.ts';
import { aggregateGroups } from './aggregates.ts';

/**
 * How an index of an evaluation leads to rows of a table: `references[index]` is row + 1 or 0 for none;
 * undefined where the index is the row itself.
 */
export type References = (table: string) => Uint32Array | undefined;

/** A row formula as a function of an index; columns are found through `references`. No row gives null. */
export function compileRow(data: ModelRows, typed: Typed, references: References): Evaluate {
  return compileScalar(typed, (node) => {
    if (node.kind === 'column')
      return readColumn(data.column(node.table, node.column), references(node.table));
    if (node.kind === 'aggregate' && node.owner !== undefined)
      return readOwn(data.referring({ ...node, owner: node.owner }), references(node.owner));
    throw new TypeError(`${node.kind} has no place in a row formula`);
  });
}

/** A row formula over the rows of a table. */
export const rowValues = (data: ModelRows, table: string, typed: Typed, via: Via = []): Evaluate =>
  compileRow(data, typed, (other) => data.lookupIndex(table, other, via));

function readColumn(column: Column, references: Uint32Array | undefined): Evaluate {
  const values = columnValues(column);
  const { codes } = column;
  if (!references) return (row) => values[codes[row]!]!;
  return (index) => {
    const reference = references[index]!;
    return reference === 0 ? null : values[codes[reference - 1]!]!;
  };
}

const readOwn = (values: readonly ReturnType<Evaluate>[], references: Uint32Array | undefined): Evaluate =>
  references
    ? (index) => (references[index] === 0 ? null : values[references[index]! - 1]!)
    : (row) => values[row]!;

/**
 * Aggregates base rows by group (-1 leaves a row out); `rows` says which base row an entry is, by default its
 * own number.
 */
export function aggregateRows(
  data: ModelRows,
  node: TypedAggregate,
  groups: Int32Array,
  groupCount: number,
  via: Via,
  rows?: Uint32Array,
): ReturnType<Evaluate>[] {
  const references: References = (table) => {
    const index = data.lookupIndex(node.base, table, via);
    if (!rows) return index;
    return index ? rows.map((row) => index[row]!) : rows.map((row) => row + 1);
  };
  let kept = groups;
  if (node.filter) {
    const passes = compileRow(data, node.filter, references);
    kept = groups.map((group, entry) => (group >= 0 && passes(entry) === true ? group : -1));
  }
  return aggregateGroups({
    aggregate: node.aggregate,
    distinct: node.distinct,
    groups: kept,
    groupCount,
    ...(node.arg ? { argType: node.arg.type!, arg: compileRow(data, node.arg, references) } : {}),
    ...(node.by ? { by: compileRow(data, node.by, references) } : {}),
    ...(node.arg?.kind === 'column'
      ? { column: data.column(node.arg.table, node.arg.column), references: references(node.arg.table) }
      : {}),
  });
}
