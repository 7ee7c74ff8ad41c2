import type { Typed } from '../../formula/index.ts';
import { tablesOf } from '../../formula/index.ts';
import type { Path, Route, Via } from '../../relate/index.ts';
import { conjuncts } from '../codeRanges.ts';
import type { Condition } from '../context.ts';
import { rowMask } from '../masks.ts';
import type { ModelRows } from '../modelRows.ts';
import type { KeyColumns } from '../rowIndexes.ts';

/** A route through rows that are met: of a bridge, or of the `to` end of a many-to-many relationship. */
export type Through = Extract<Route, { kind: 'bridge' | 'many-to-many' }>;

/** Conditions and axes of one key come through the same met rows. */
export const throughKey = (route: Through): string =>
  `${route.kind}\n${route.entry.name}\n${route.anchor.map((r) => r.name).join('\n')}`;

/** The end that base rows lead to, and the end whose rows are met. */
export const endsOf = ({ kind, entry }: Through): readonly [near: KeyColumns, met: KeyColumns] =>
  kind === 'bridge' ? [entry.to, entry.from] : [entry.from, entry.to];

/** Rows of a table that the base looks up, by row + 1, for which conditions beyond a bridge hold. */
export interface PathMask {
  readonly path: Path;
  readonly byRow: Uint8Array;
}

export interface Bridged {
  /** Conditions on what is looked up. */
  readonly plain: readonly Condition[];
  readonly masks: readonly PathMask[];
}

/**
 * Turns conditions that come through bridges into conditions on the table that the bridge refers to: a row of
 * it passes where one of its bridge rows meets all conditions that come through that bridge, however many do.
 * So base rows need not be laid out by what they meet. Undefined where a condition cannot be so turned.
 */
export function bridgeMasks(
  data: ModelRows,
  base: string,
  conditions: readonly Condition[],
  via: Via,
): Bridged | undefined {
  const plain: Condition[] = [];
  const throughs = new Map<
    string,
    { route: Through; asked: { table: string; path: Path; typed: Typed }[] }
  >();
  for (const condition of conditions.flatMap(parts)) {
    if (condition.kind === 'members') return undefined;
    const tables = condition.kind === 'days' ? [condition.calendar] : tablesOf(condition.typed);
    const routes = tables.map((table) => data.checker.reach.route(base, table, via));
    if (routes.every((route) => route?.kind === 'lookup')) {
      plain.push(condition);
      continue;
    }
    const [route] = routes;
    const isBridged = route?.kind === 'bridge' || route?.kind === 'many-to-many';
    if (condition.kind === 'days' || !isBridged || tables.length > 1) return undefined;
    const key = throughKey(route);
    const known = throughs.get(key) ?? { route, asked: [] };
    known.asked.push({ table: tables[0]!, path: route.path, typed: condition.typed });
    throughs.set(key, known);
  }
  const masks = [...throughs.values()].map(({ route, asked }): PathMask => {
    const [near, met] = endsOf(route);
    const passes = metMask(data, met.table, asked);
    const lists = data.entryLists(met, near);
    const byRow = new Uint8Array(data.rowCount(near.table) + 1);
    byRow[0] = passes[0]!;
    for (let row = 1; row < byRow.length; row++) {
      const k = lists.keyOf[row - 1]!;
      const [from, to] = k === 0 ? [0, 0] : [lists.starts[k]!, lists.starts[k + 1]!];
      // Without a partner it meets no row, and conditions are judged on nulls.
      if (from === to) byRow[row] = passes[0]!;
      for (let i = from; i < to; i++)
        if (passes[lists.rows[i]! + 1] === 1) {
          byRow[row] = 1;
          break;
        }
    }
    return { path: route.anchor, byRow };
  });
  return { plain, masks };
}

const parts = (condition: Condition): Condition[] =>
  condition.kind === 'formula'
    ? conjuncts(condition.typed).map((typed) => ({ ...condition, typed }))
    : [condition];

/** Which rows of a table that is met (row + 1; 0 is none) all conditions hold for. */
function metMask(
  data: ModelRows,
  met: string,
  asked: readonly { table: string; path: Path; typed: Typed }[],
): Uint8Array {
  const passes = new Uint8Array(data.rowCount(met) + 1).fill(1);
  for (const { table, path, typed } of asked) {
    const mask = rowMask(data, table, typed);
    const index = data.pathIndex(path);
    passes[0]! &= mask[0]!;
    for (let row = 1; row < passes.length; row++) passes[row]! &= mask[index ? index[row - 1]! : row]!;
  }
  return passes;
}
