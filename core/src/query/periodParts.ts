import { INTEGER } from '../values/index.ts';
import type { Axis } from './context.ts';

/** Sets of days that have no day in common, as an axis of the calendar: code k is the k-th set. */
export interface Layer {
  readonly axis: Axis;
  /** Rows of the calendar (row + 1) of all its sets. */
  readonly keeps: Uint8Array;
}

/** For each set of days the layer that it is in, and its code there. */
export interface Layered {
  readonly layers: readonly Layer[];
  readonly placeOf: readonly { readonly layer: number; readonly code: number }[];
}

/**
 * Lays sets of days into layers: each into the first that has none of its days; equal sets are one. So rows
 * are scanned once for a layer, and not once for each set: the months of two years, each a year back, are one
 * layer. `keeps[row + 1]` tells the rows of the calendar in a set.
 */
export function layersOf(
  sets: readonly Uint8Array[],
  calendar: { readonly table: string; readonly day: string },
): Layered {
  const owners: { codes: Uint32Array; count: number }[] = [];
  const known = new Map<string, { layer: number; code: number }>();
  const placeOf = sets.map((keeps) => {
    const key = keyOf(keeps);
    const same = known.get(key);
    if (same) return same;
    let layer = owners.findIndex(({ codes }) => keeps.every((one, row) => one === 0 || codes[row - 1] === 0));
    if (layer < 0)
      layer = owners.push({ codes: new Uint32Array(Math.max(0, keeps.length - 1)), count: 0 }) - 1;
    const owner = owners[layer]!;
    const code = ++owner.count;
    for (let row = 1; row < keeps.length; row++) if (keeps[row]) owner.codes[row - 1] = code;
    const place = { layer, code };
    known.set(key, place);
    return place;
  });
  return {
    placeOf,
    layers: owners.map(({ codes, count }, k) => {
      const keeps = new Uint8Array(codes.length + 1);
      for (let row = 0; row < codes.length; row++) keeps[row + 1] = codes[row] === 0 ? 0 : 1;
      const axis: Axis = {
        name: `days of ${calendar.table} ${k}`,
        type: INTEGER,
        table: calendar.table,
        column: calendar.day,
        codes,
        width: count + 1,
        show: (code) => code,
      };
      return { axis, keeps };
    }),
  };
}

/** Tells sets apart by their stretches of days. */
function keyOf(keeps: Uint8Array): string {
  const turns: number[] = [];
  for (let row = 1; row < keeps.length; row++) if (keeps[row] !== keeps[row - 1]) turns.push(row);
  return `${keeps[0]}:${turns.join(',')}`;
}
