import type { QueryState } from '@crease/contract';
import { memberText } from '../../../parts/format.ts';
import { drawnMeasures } from './forms.ts';

/** A tuple of members as a point: two measures as its place, a third as its size. */
export interface MeasuredPoint {
  readonly x: number;
  readonly y: number;
  /** Radius in pixels. */
  readonly r: number;
  readonly at: string;
  readonly row: number;
  readonly column: number;
  readonly values: readonly QueryState['rows'][number][number][];
}

export interface PointsData {
  readonly measures: readonly string[];
  readonly points: readonly MeasuredPoint[];
  /** Rows that have no place: one of their measures is null. */
  readonly leftOut: number;
}

/** Radii in pixels of the smallest and greatest bubble, and of a point. */
const RADIUS = { least: 3, most: 26, point: 4 };

/** The first two measures as places and, for bubbles, the third as areas (radii go by its square root). */
export function pointsData(answer: QueryState, byCount: number, withSize: boolean): PointsData {
  const measures = drawnMeasures(answer).slice(0, withSize ? 3 : 2);
  const places = measures.map((m) => answer.columns.findIndex((c) => c.name === m));
  const sizes = withSize ? answer.rows.map((row) => Math.abs(Number(row[places[2]!] ?? 0))) : [];
  const most = sizes.reduce((a, b) => Math.max(a, b), 0);
  const points: MeasuredPoint[] = [];
  let leftOut = 0;
  answer.rows.forEach((row, at) => {
    const values = places.map((p) => row[p]!);
    if (values.some((v) => v === null)) {
      leftOut++;
      return;
    }
    points.push({
      x: Number(values[0]),
      y: Number(values[1]),
      r: withSize
        ? RADIUS.least + (RADIUS.most - RADIUS.least) * Math.sqrt(most === 0 ? 0 : sizes[at]! / most)
        : RADIUS.point,
      at:
        row
          .slice(0, byCount)
          .map((member, i) => memberText(member, answer.columns[i]!.type))
          .join(' · ') || 'all',
      row: at,
      column: places[1]!,
      values,
    });
  });
  return { measures, points, leftOut };
}
