import type { ColumnName } from '../formula/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import type { Path } from '../relate/index.ts';
import { keyNumbers } from '../relate/index.ts';

/** Whether a row looks up one of several partners on its way to the columns; undefined where none does. */
export function severalPartnersOn(
  data: ModelData,
  base: string,
  columns: readonly ColumnName[],
): ((row: number) => boolean) | undefined {
  const tests = [...new Set(columns.map((c) => c.table))].flatMap((table) => {
    if (sameName(table, base)) return [];
    const path = data.checker.reach.lookup(base, table) ?? [];
    return path.some((r) => data.hasSeveralPartners(r)) ? [rowsWithSeveral(data, path)] : [];
  });
  return tests.length === 0 ? undefined : (row) => tests.some((test) => test[row] === 1);
}

/** By row of the path's start, 1 where a hop of the path meets several rows. */
function rowsWithSeveral(data: ModelData, path: Path): Uint8Array {
  const start = data.rowCount(path[0]!.from.table);
  const several = new Uint8Array(start);
  let at: Uint32Array | undefined;
  for (const r of path) {
    const from = r.from.columns.map((name) => data.column(r.from.table, name));
    const to = r.to.columns.map((name) => data.column(r.to.table, name));
    const keys = keyNumbers(from, to);
    const rows = new Uint32Array(keys.size);
    for (const key of keys.to) rows[key]!++;
    for (let row = 0; row < start; row++) {
      const own = at ? at[row]! - 1 : row;
      if (own >= 0 && keys.from[own] !== 0 && rows[keys.from[own]!]! > 1) several[row] = 1;
    }
    const hop = data.pathIndex([r])!;
    at = at ? at.map((reference) => (reference === 0 ? 0 : hop[reference - 1]!)) : hop;
  }
  return several;
}
