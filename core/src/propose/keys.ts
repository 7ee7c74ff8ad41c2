import type { DataType } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { combinations } from '../columns/index.ts';

import { nameLikeness, wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';

const MOST_KEY_COLUMNS = 9;
/** Rows on which combinations are tried first. */
const SAMPLE_ROWS = 20_000;

/** Keys of tables that have none: one column, else the fewest of two or three; a few rows that break it are evidence, no hindrance. */
export function proposeKeys(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter((t) => !t.key?.length && data.rowCount(t.name) > 0)
    .flatMap((t): Proposal[] => {
      const key = findKey(t, data);
      if (!key) return [];
      const rows = data.rowCount(t.name);
      return [
        {
          id: `key:${t.name}`,
          kind: 'key',
          table: t.name,
          says: `${key.columns.join(', ')} ${key.columns.length > 1 ? 'are' : 'is'} the key of ${t.name}`,
          evidence: [
            key.twice === 0 ? `unique in all ${rows} rows` : `unique but for ${key.twice} of ${rows} rows`,
            'never null',
            ...(key.columns.length > 1 ? ['no single column is unique'] : []),
          ],
          edit: [{ do: 'set-table', table: t.name, change: { key: key.columns } }],
        },
      ];
    });
}

function findKey(table: Table, data: ModelData): { columns: string[]; twice: number } | undefined {
  const rows = data.rowCount(table.name);
  const candidates = table.columns
    .filter((c) => c.formula === undefined)
    .map((c) => ({ c, column: data.column(table.name, c.name), type: parseType(c.type) ?? TEXT }))
    .filter(({ column, type }) => column.nulls === 0 && !['decimal', 'double', 'boolean'].includes(type.kind));
  // A key that a few rows break is still the key: the claim on it will show them.
  const single = candidates
    .map((k, i) => ({ ...k, twice: rows - k.column.distinct, score: keyScore(k.c.name, table.name, k.type, i) }))
    .filter(
      ({ twice, c, type }) =>
        (twice === 0 && type.kind !== 'timestamp' && !holdsMoments(data.column(table.name, c.name))) ||
        (twice <= Math.max(1, rows * 0.002) && keyScore(c.name, table.name, TEXT, 0) >= 2),
    )
    .sort((a, b) => b.score - a.score);
  if (single[0]) return { columns: [single[0].c.name], twice: single[0].twice };
  const few = candidates.filter(({ column, type }) => column.distinct > 1 && type.kind !== 'timestamp').slice(0, MOST_KEY_COLUMNS);
  for (const size of [2, 3]) {
    for (const combination of subsets(few, size)) {
      const columns = combination.map(({ column }) => column);
      if (columns.reduce((product, c) => product * c.distinct, 1) < rows) continue;
      const sample = Math.min(rows, SAMPLE_ROWS);
      if (combinations(columns, sample).size < sample || combinations(columns, rows).size < rows) continue;
      return { columns: combination.map(({ c }) => c.name), twice: 0 };
    }
  }
  return undefined;
}

/** A moment written as text may be unique by accident, but is nobody's key. */
const holdsMoments = (column: Column): boolean =>
  column.type.kind === 'text' && /^\d{4}-\d{2}-\d{2}[ T]\d/.test(String(columnValues(column)[1] ?? ''));

/** Names that sound like a key of the table, and early places, count for a column. */
function keyScore(name: string, table: string, type: DataType, place: number): number {
  const words = wordsOf(name);
  const named = ['id', 'no', 'code', 'key', 'number', 'nr', 'day', 'date', 'barcode'].includes(words.at(-1) ?? '') ? 2 : 0;
  const own = nameLikeness(words.slice(0, -1).join('_') || name, table) > 0.6 ? 2 : 0;
  return named + own + (place === 0 ? 1 : 0) - (type.kind === 'timestamp' ? 3 : 0) - place / 100;
}

function* subsets<T>(items: readonly T[], size: number, from = 0): Generator<T[]> {
  if (size === 0) yield [];
  else for (let i = from; i <= items.length - size; i++) for (const rest of subsets(items, size - 1, i + 1)) yield [items[i]!, ...rest];
}
