import type { Codes } from '../columns/index.ts';
import type { RowIndex } from '../relate/index.ts';
import type { Axis } from './context.ts';
import { Tuples } from './tuples.ts';

/** What one looked-up table has to do with a scan. */
export interface DenseSource {
  /** Base row to row + 1 of the table, 0 for none; undefined where it is the base table itself. */
  readonly index: RowIndex | undefined;
  /** Conditions on the table by row + 1 (0 stands for no row): 0 rejects. */
  readonly masks: readonly Uint8Array[];
  readonly axes: readonly { readonly axis: Axis; readonly place: number }[];
}

/** The most combinations of members for which a number each is kept. */
export const MOST_DENSE = 1 << 22;

/**
 * Groups base rows without any entry of their own: each table gives one small map from its rows to what they add to the group's
 * number, or -1 where a condition rejects them; a base row's group is the sum over the tables. Groups are numbered from 0 in order of
 * first appearance; -1 is left out. Undefined where the axes have too many combinations.
 */
export function denseGroups(
  rowCount: number,
  sources: readonly DenseSource[],
  axes: readonly Axis[],
): { groups: Int32Array; tuples: Tuples } | undefined {
  const size = axes.reduce((product, axis) => product * axis.width, 1);
  if (size > MOST_DENSE) return undefined;
  const strides: number[] = [];
  axes.reduce((stride, axis, p) => {
    strides[p] = stride;
    return stride * axis.width;
  }, 1);
  const groups = new Int32Array(rowCount);
  sources.forEach((source, k) => addSource(groups, source, strides, k === 0));
  const numbers = new Int32Array(size).fill(-1);
  const found: number[] = [];
  for (let row = 0; row < rowCount; row++) {
    const group = groups[row]!;
    if (group < 0) continue;
    let number = numbers[group]!;
    if (number < 0) {
      numbers[group] = number = found.length;
      found.push(group);
    }
    groups[row] = number;
  }
  const tuples = new Tuples(axes.map((axis) => axis.width));
  for (const group of found) tuples.add((p) => Math.floor(group / strides[p]!) % axes[p]!.width);
  return { groups, tuples };
}

function addSource(groups: Int32Array, source: DenseSource, strides: readonly number[], isFirst: boolean): void {
  const { index } = source;
  if (index) {
    addMapped(groups, index, contributions(source, strides), isFirst);
    return;
  }
  // The base table itself: its codes are read in place.
  for (const mask of source.masks) for (let row = 0; row < groups.length; row++) if (mask[row + 1] === 0) groups[row] = -1;
  for (const { axis, place } of source.axes) addCodes(groups, axis.codes, strides[place]!);
}

function addCodes(groups: Int32Array, codes: Codes, stride: number): void {
  for (let row = 0; row < groups.length; row++) if (groups[row]! >= 0) groups[row]! += codes[row]! * stride;
}

function addMapped(groups: Int32Array, index: RowIndex, adds: Int32Array, isFirst: boolean): void {
  if (isFirst) {
    for (let row = 0; row < groups.length; row++) groups[row] = adds[index[row]!]!;
    return;
  }
  for (let row = 0; row < groups.length; row++) {
    const group = groups[row]!;
    if (group < 0) continue;
    const add = adds[index[row]!]!;
    groups[row] = add < 0 ? -1 : group + add;
  }
}

/** By row + 1 of the table: what it adds to a group's number, or -1. */
function contributions({ masks, axes }: DenseSource, strides: readonly number[]): Int32Array {
  const size = masks[0]?.length ?? axes[0]!.axis.codes.length + 1;
  const adds = new Int32Array(size);
  for (const { axis, place } of axes) for (let row = 1; row < size; row++) adds[row]! += axis.codes[row - 1]! * strides[place]!;
  for (const mask of masks) for (let row = 0; row < size; row++) if (mask[row] === 0) adds[row] = -1;
  return adds;
}
