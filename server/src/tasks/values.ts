import { columnValues } from '@crease/core/columns';
import type { ModelData } from '@crease/core/query';
import { resolvePath } from '@crease/core/query';
import { compareCounting, formatType, toJson } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

const MOST_SORTED = 20_000;

/** Values of a column that contain a text, with how many rows have each. */
export const values = task((input: { column: string; search: string } & ModelVersion) =>
  onRows(input, (all) => valuesOf(all, input)),
);

function valuesOf(of: ModelData, input: { readonly column: string; readonly search: string }) {
  const data = of.forQuery({ by: [input.column], measures: [] });
  const { table, column: name } = resolvePath(data, input.column);
  const column = data.column(table, name);
  const all = columnValues(column);
  const search = input.search.toLowerCase();
  const found: { value: string | number | boolean; rows: number }[] = [];
  // Sorted as people count where that takes no time; a large dictionary keeps the order of its codes.
  const codes = Array.from({ length: all.length - 1 }, (_, i) => i + 1);
  if (codes.length <= MOST_SORTED) codes.sort((a, b) => compareCounting(all[a]!, all[b]!));
  for (const code of codes) {
    if (found.length >= 200) break;
    if (column.counts[code] === 0) continue;
    // Codes from 1 on are values: none is null.
    const value = toJson(all[code]!, column.type)!;
    if (search === '' || String(value).toLowerCase().includes(search))
      found.push({ value, rows: column.counts[code]! });
  }
  return { type: formatType(column.type), values: found, distinct: column.distinct };
}
