import type { QueryState } from '@crease/contract';
import type { AnswerMember } from '@crease/core/query';
import { isNumeric } from '../../parts/format.ts';

/** A measure of two answers, by its place in each. */
export interface MeasurePair {
  readonly name: string;
  readonly type: string;
  readonly left: number | undefined;
  readonly right: number | undefined;
}

/** A row of two answers: the tuple of members that it is of, and where it stands in each. */
export interface RowPair {
  readonly members: readonly AnswerMember[];
  readonly left: number | undefined;
  readonly right: number | undefined;
  readonly differs: boolean;
}

export interface SideBySide {
  /** How many columns of members there are. */
  readonly width: number;
  readonly measures: readonly MeasurePair[];
  readonly rows: readonly RowPair[];
}

const membersOf = ({ columns }: QueryState): readonly string[] =>
  columns.filter((c) => c.kind !== 'measure').map((c) => c.name);

/** Two answers by the same attributes, row by row; nothing where the attributes differ. */
export function sideBySide(left: QueryState, right: QueryState): SideBySide | undefined {
  const names = membersOf(left);
  if (JSON.stringify(names) !== JSON.stringify(membersOf(right))) return undefined;
  const width = names.length;
  const placesOf = (answer: QueryState) =>
    new Map(answer.columns.flatMap((c, i) => (c.kind === 'measure' ? [[c.name, i] as const] : [])));
  const [ofLeft, ofRight] = [placesOf(left), placesOf(right)];
  const measures = [...new Set([...ofLeft.keys(), ...ofRight.keys()])].map((name): MeasurePair => {
    const [l, r] = [ofLeft.get(name), ofRight.get(name)];
    return { name, type: (left.columns[l ?? -1] ?? right.columns[r!])!.type, left: l, right: r };
  });
  // Members of equal labels are told apart by their keys.
  const textOf = ({ rows, keys }: QueryState, i: number): string =>
    JSON.stringify([rows[i]!.slice(0, width), keys?.[i] ?? null]);
  const rightPlaces = new Map(right.rows.map((_, i) => [textOf(right, i), i]));
  const differs = (l: number | undefined, r: number | undefined): boolean =>
    l === undefined ||
    r === undefined ||
    measures.some(
      (m) =>
        m.left !== undefined && m.right !== undefined && left.rows[l]![m.left] !== right.rows[r]![m.right],
    );
  const met = new Set<number>();
  const rows = left.rows.map((row, i): RowPair => {
    const other = rightPlaces.get(textOf(left, i));
    if (other !== undefined) met.add(other);
    return { members: row.slice(0, width), left: i, right: other, differs: differs(i, other) };
  });
  const onlyRight = right.rows.flatMap((row, i): RowPair[] =>
    met.has(i) ? [] : [{ members: row.slice(0, width), left: undefined, right: i, differs: true }],
  );
  return { width, measures, rows: [...rows, ...onlyRight] };
}

/** How much larger the right value is, and as a share of the left one; nothing where one is no number. */
export function differenceOf(
  left: AnswerMember | undefined,
  right: AnswerMember | undefined,
  type: string,
): { difference: number; share: number | undefined } | undefined {
  const isValue = (value: AnswerMember | undefined) =>
    value !== undefined && value !== null && typeof value !== 'object';
  if (!isNumeric(type) || !isValue(left) || !isValue(right)) return undefined;
  const [from, to] = [Number(left), Number(right)];
  return { difference: to - from, share: from === 0 ? undefined : (to - from) / Math.abs(from) };
}
