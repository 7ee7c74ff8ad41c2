import type { Typed } from '../../formula/index.ts';
import { tablesOf } from '../../formula/index.ts';
import type { Path, Route, Via } from '../../relate/index.ts';
import { conjuncts } from '../codeRanges.ts';
import type { Condition } from '../context.ts';
import { rowMask } from '../masks.ts';
import type { ModelRows } from '../modelRows.ts';

type Through = Extract<Route, { kind: 'bridge' | 'many-to-many' }>;

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
    const key = [route.kind, route.entry.name, ...route.anchor.map((r) => r.name)].join('\n');
    const known = throughs.get(key) ?? { route, asked: [] };
    known.asked.push({ table: tables[0]!, path: route.path, typed: condition.typed });
    throughs.set(key, known);
  }
  const masks = [...throughs.values()].map(({ route, asked }): PathMask => {
    const { entry } = route;
    const [near, far] = route.kind === 'bridge' ? [entry.to, entry.from] : [entry.from, entry.to];
    const passes = metMask(data, far.table, asked);
    const lists = data.entryLists(far, near);
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
