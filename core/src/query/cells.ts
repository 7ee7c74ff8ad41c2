import type { Axis } from './context.ts';
import { Tuples } from './tuples.ts';

/** Cells of an answer: tuples of members, one code per axis of the context that they belong to. */
export interface Cells {
  readonly tuples: Tuples;
  readonly axes: readonly Axis[];
}

export const cellsOf = (axes: readonly Axis[]): Cells => ({
  axes,
  tuples: new Tuples(axes.map((axis) => axis.width)),
});

/** The one cell of a context without axes. */
export function singleCell(): Cells {
  const cells = cellsOf([]);
  cells.tuples.add(() => 0);
  return cells;
}
