import type { Typed } from '../../formula/index.ts';
import { tablesOf } from '../../formula/index.ts';
import type { Axis } from '../context.ts';
import { codeMask, dayMask, onlyColumn, rowMask } from '../masks.ts';
import { FOUND, lookupMeetings, NO_REFERENCE, UNMATCHED } from '../noMember.ts';
import type { Bridged } from './bridgeMasks.ts';
import type { Inputs } from './inputs.ts';
import { rowsByCode } from './inputs.ts';
import type { Probe } from './plan.ts';

/** Of each axis, by what its members' codes are multiplied in the number of a group. */
export function stridesOf(axes: readonly Axis[]): number[] {
  let stride = 1;
  return axes.map(({ width }) => {
    const own = stride;
    stride *= width;
    return own;
  });
}

// Tables by the rows of large dimensions are made for every question: what passes over them is a plain loop.

function share(mask: Uint8Array): number {
  let kept = 0;
  for (let i = 0; i < mask.length; i++) kept += mask[i]!;
  return mask.length === 0 ? 1 : kept / mask.length;
}

function rejecting(mask: Uint8Array): Int32Array {
  const adds = new Int32Array(mask.length);
  for (let i = 0; i < mask.length; i++) adds[i] = mask[i]! - 1;
  return adds;
}

function both(one: Uint8Array, other: Uint8Array): Uint8Array {
  const mask = new Uint8Array(one.length);
  for (let i = 0; i < mask.length; i++) mask[i] = one[i]! & other[i]!;
  return mask;
}

/** A table by code up to this size lies in the cache of a core; a larger one is looked up beforehand. */
const MOST_PROBED = 1 << 18;

/** What conditions and axes have to do with the group of a row. */
export function probesOf(
  inputs: Inputs,
  { plain, masks: pathMasks }: Bridged,
  axes: readonly Axis[],
): Probe[] {
  const probes: Probe[] = [];
  const masks = new Map<string, Uint8Array>();
  const reject = (input: number, mask: Uint8Array) =>
    void probes.push({ input, adds: rejecting(mask), width: 1, stride: 1, passes: share(mask) });
  /** Conditions on a looked-up table are judged on its rows, and meet there with its axes. */
  const note = (table: string, mask: Uint8Array) => {
    const known = masks.get(table.toLowerCase());
    masks.set(table.toLowerCase(), known ? both(known, mask) : mask);
  };
  for (const { path, byRow } of pathMasks) {
    const way = inputs.wayOf(path);
    if (way) reject(way.input, way.through(byRow));
    else reject(inputs.of(byRow.subarray(1)), Uint8Array.of(0, 1));
  }
  for (const condition of plain) {
    if (condition.kind === 'members')
      throw new TypeError('rows without a member are not told apart by a plan');
    const table = condition.kind === 'days' ? condition.calendar : onlyTable(condition.typed);
    if (condition.kind === 'days') {
      const mask = dayMask(inputs.data, inputs.base, condition, inputs.via);
      if (inputs.way(condition.calendar)) note(condition.calendar, mask);
      else reject(inputs.of(mask.subarray(1)), Uint8Array.of(0, 1));
    } else if (table !== undefined && inputs.way(table))
      note(table, rowMask(inputs.data, table, condition.typed));
    else {
      const only = table === undefined ? undefined : onlyColumn(inputs.data, condition.typed);
      const mask = only && codeMask(only, condition.typed);
      if (mask && mask.length <= MOST_PROBED) reject(inputs.of(only.codes), mask);
      else if (mask) reject(inputs.of(rowsByCode(only.codes, mask)), Uint8Array.of(0, 1));
      else reject(inputs.of(inputs.baseMask(condition.typed)), Uint8Array.of(0, 1));
    }
  }
  const strides = stridesOf(axes);
  for (const [p, axis] of axes.entries()) {
    const way = inputs.way(axis.table);
    if (axis.meets) {
      probes.push({ ...meetingProbe(inputs, axis), stride: strides[p]! });
      continue;
    }
    if (!way) {
      probes.push({ input: inputs.of(axis.codes), width: axis.width, stride: strides[p]!, passes: 1 });
      continue;
    }
    const adds = new Int32Array(axis.codes.length + 1);
    for (let row = 0; row < axis.codes.length; row++) adds[row + 1] = axis.codes[row]!;
    probes.push({
      input: way.input,
      adds: way.through(adds),
      width: axis.width,
      stride: strides[p]!,
      passes: 1,
    });
  }
  for (const [table, mask] of masks) {
    const { input, through } = inputs.way(table)!;
    reject(input, through(mask));
  }
  return joined(probes);
}

/**
 * How rows meet the axis's table: told by the code of the column that leads there, or row by row where
 * several columns do.
 */
function meetingProbe(inputs: Inputs, axis: Axis): Omit<Probe, 'stride'> {
  const { data, base, via } = inputs;
  const start = data.pathStart(data.checker.reach.lookup(base, axis.table, via)!);
  const made = { width: axis.width, passes: 1 };
  if (!start) return { ...made, input: inputs.of(new Uint8Array(data.rowCount(base))) };
  const { codes, rowOf } = start;
  if (!rowOf) return { ...made, input: inputs.of(lookupMeetings(data, base, axis.table, via)!) };
  const adds = Int32Array.from(rowOf, (row, code) =>
    row !== 0 ? FOUND : code === 0 ? NO_REFERENCE : UNMATCHED,
  );
  return { ...made, input: inputs.of(codes), adds };
}

/** The one table that a condition speaks of; undefined where it names several, or none. */
export const onlyTable = (typed: Typed): string | undefined => {
  const tables = tablesOf(typed);
  return tables.length === 1 ? tables[0] : undefined;
};

/** The most that one table adds: what a 32-bit number holds. */
const MOST_ADDED = 2 ** 31;

/**
 * Probes of one input with tables become one probe: a row of a looked-up table is met once, whatever is asked
 * of it.
 */
function joined(probes: readonly Probe[]): Probe[] {
  const made: Probe[] = [];
  for (const probe of probes) {
    const at = made.findIndex((other) => other.input === probe.input && other.adds && probe.adds);
    const other = made[at];
    if (!other) {
      made.push(probe);
      continue;
    }
    const most = (other.width - 1) * other.stride + (probe.width - 1) * probe.stride;
    if (most >= MOST_ADDED) {
      made.push(probe);
      continue;
    }
    const [first, second] = [other.adds!, probe.adds!];
    const adds = new Int32Array(first.length);
    let kept = 0;
    for (let k = 0; k < adds.length; k++) {
      if (first[k]! < 0 || second[k]! < 0) adds[k] = -1;
      else {
        adds[k] = first[k]! * other.stride + second[k]! * probe.stride;
        kept++;
      }
    }
    const passes = kept / adds.length;
    made[at] = { input: probe.input, adds, width: most + 1, stride: 1, passes };
  }
  return made;
}
