import type { Exact, Value } from '../../values/index.ts';
import { narrow, scaleOf, toDouble } from '../../values/index.ts';
import type { Column } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { Typed, TypedAggregate } from '../../formula/index.ts';
import { codeMask, onlyColumn, rowMask } from '../masks.ts';
import type { Inputs } from './inputs.ts';
import { expressionOf } from './operands.ts';
import type { Field, FieldResult } from './plan.ts';
import { onlyTable } from './planProbes.ts';

/** Groups times codes up to which a bit per pair is kept (16 MB). */
const MOST_BITS = 1 << 27;

/** How the fields of an aggregate become its values: one per group, and one more for no rows. */
export interface PlannedAggregate {
  readonly fields: readonly Field[];
  finish(results: readonly FieldResult[]): Value[];
}

/**
 * The fields of an aggregate; undefined for one that a plan cannot add up. `size`: combinations that groups
 * can have.
 */
export function planAggregate(
  inputs: Inputs,
  node: TypedAggregate,
  size: number,
): PlannedAggregate | undefined {
  const made = plainAggregate(inputs, node, size);
  if (!made || !node.filter) return made;
  const only = filterOf(inputs, node.filter);
  return { ...made, fields: made.fields.map((field) => ({ ...field, only })) };
}

/** What a filter of an aggregate lets through. */
export function filterOf(inputs: Inputs, filter: Typed): NonNullable<Field['only']> {
  const table = onlyTable(filter);
  const way = table === undefined ? undefined : inputs.way(table);
  if (table !== undefined && way)
    return { input: way.input, passes: way.through(rowMask(inputs.data, table, filter)) };
  const column = table === undefined ? undefined : onlyColumn(inputs.data, filter);
  const passes = column && codeMask(column, filter);
  if (column && passes) return { input: inputs.of(column.codes), passes };
  return { input: inputs.of(inputs.baseMask(filter)), passes: Uint8Array.of(0, 1) };
}

const withNone = (values: Value[], none: Value): Value[] => [...values, none];

function plainAggregate(inputs: Inputs, node: TypedAggregate, size: number): PlannedAggregate | undefined {
  const { arg, aggregate } = node;
  const counts: PlannedAggregate['finish'] = ([result]) =>
    withNone(Array.from((result as { counts: Float64Array }).counts), 0);
  if (aggregate === 'count' && !arg) return { fields: [{ kind: 'rows' }], finish: counts };
  if (!arg) return undefined;
  if (aggregate === 'sum' || aggregate === 'avg') return planSum(inputs, node, arg);
  if (arg.kind !== 'column') return undefined;
  const { column, input, through } = inputs.column(arg.table, arg.column);
  const codes = through ? { codes: through(codesByRow(column)) } : {};
  switch (aggregate) {
    case 'count':
      if (!node.distinct)
        return {
          fields: [{ kind: 'filled', input, ...(through ? { filled: through(filledByRow(column)) } : {}) }],
          finish: counts,
        };
      if ((size + 1) * (column.domain.size + 1) > MOST_BITS) return undefined;
      return {
        fields: [{ kind: 'distinct', input, ...codes, width: column.domain.size + 1 }],
        finish: counts,
      };
    case 'min':
    case 'max':
      return {
        fields: [{ kind: aggregate === 'min' ? 'least' : 'greatest', input, ...codes }],
        finish: ([result]) => {
          const values = columnValues(column);
          return withNone(
            Array.from((result as { codes: Uint32Array }).codes, (code) => values[code]!),
            null,
          );
        },
      };
    default:
      return undefined;
  }
}

function planSum(inputs: Inputs, node: TypedAggregate, arg: Typed): PlannedAggregate | undefined {
  const made = expressionOf(arg, (table, column) => inputs.column(table, column));
  if (!made || arg.type === null || made.most * inputs.data.rowCount(inputs.base) >= 2 ** 62)
    return undefined;
  const scale = scaleOf(arg.type);
  return {
    fields: [{ kind: 'sum', of: made.expression }],
    finish: ([result]) => {
      const { sums, counts } = result as Extract<FieldResult, { kind: 'sums' }>;
      const values = Array.from(counts, (count, g): Value => {
        if (count === 0) return null;
        const sum: Exact = typeof sums[g] === 'bigint' ? narrow(sums[g]) : sums[g]!;
        return node.aggregate === 'avg' ? toDouble(sum, scale) / count : sum;
      });
      return withNone(values, null);
    },
  };
}

/** Codes by row + 1; 0 for none. */
export function codesByRow(column: Column): Uint32Array {
  const codes = new Uint32Array(column.rowCount + 1);
  codes.set(column.codes, 1);
  return codes;
}

const filledByRow = (column: Column): Uint8Array =>
  Uint8Array.from(codesByRow(column), (code) => (code === 0 ? 0 : 1));
