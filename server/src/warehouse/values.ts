import type { Column } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import type { SqlDialect } from '@crease/core/sql';

/** Rows as JSON, an object for each with the members `c0`, `c1`, … as a dialect binds their values. */
export function jsonLines(
  { columns, rowCount }: { readonly columns: readonly Column[]; readonly rowCount: number },
  dialect: SqlDialect,
): string {
  const shown = columns.map((c) => columnValues(c).map((value) => dialect.bound(value, c.type)));
  const lines = Array.from({ length: rowCount }, (_, row) =>
    Object.fromEntries(columns.map((c, i) => [`c${i}`, jsonOf(shown[i]![c.codes[row]!] ?? null)])),
  );
  return JSON.stringify(lines);
}

const jsonOf = (value: null | number | bigint | string): null | number | string =>
  typeof value === 'bigint' ? String(value) : value;
