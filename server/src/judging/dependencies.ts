import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import type { Column, TableData } from '@crease/core/columns';
import { DependencyDigest } from '@crease/core/claims';
import { FormulaChecker } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';
import type { ModelVersion } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import { isDerived } from '@crease/core/model';
import { passedKey } from '../warehouse/passedThrough.ts';

/** What is derived stays between revisions, by all that it rests on, up to so many bytes of codes. */
const MOST_BYTES = 256e6;

const bytesOf = (column: Column): number => column.codes.byteLength + 16 * column.domain.size;
const sizeOf = (value: TableData | Column): number =>
  Math.max(
    1,
    'codes' in value ? bytesOf(value) : [...value.columns.values()].reduce((n, c) => n + bytesOf(c), 0),
  );

/** What is larger than the whole cache is not kept. */
const derived = new LRUCache<string, TableData | Column>({
  maxSize: MOST_BYTES,
  maxEntrySize: MOST_BYTES,
  sizeCalculation: sizeOf,
});

function derivedOf<T extends TableData | Column | undefined>(key: string, make: () => T): T {
  const kept = derived.get(key);
  if (kept) return kept as T;
  const value = make();
  if (value !== undefined) derived.set(key, value);
  return value;
}

const digest = (text: string): string => createHash('sha256').update(text).digest('base64url');

/**
 * What claims, derived columns and derived tables of a model rest on. A checker of its own looks at no rows.
 */
export const digestOf = (
  workspace: string,
  model: Model,
  { versions, day }: Pick<ModelVersion, 'versions' | 'day'>,
  checker = new FormulaChecker(model),
) =>
  new DependencyDigest(
    model,
    checker,
    (table) =>
      table.held === false
        ? (versions[passedKey(table)] ?? '')
        : `${workspace} ${versions[sourceKey(table)] ?? ''}`,
    digest,
    day,
  );

/** Ways to what was derived for an earlier revision and still holds. */
export function derivedCache(workspace: string, model: Model, task: Pick<ModelVersion, 'versions' | 'day'>) {
  const bases = digestOf(workspace, model, task);
  return {
    table: (table: Table, make: () => TableData | undefined): TableData | undefined =>
      isDerived(table) ? derivedOf(`table ${bases.table(table.name)}`, make) : make(),
    column: (table: string, column: string, make: () => Column): Column =>
      derivedOf(`column ${bases.column(table, column)}`, make),
  };
}
