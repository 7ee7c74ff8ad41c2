import type { OnModel } from '../work/tasks.ts';
import { createHash } from 'node:crypto';
import type { Column, TableData } from '@crease/core/columns';
import { Bases } from '@crease/core/claims';
import { FormulaChecker } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';
import { sourceKey } from '../store/index.ts';

/** What is derived stays between revisions, by all that it rests on, up to so many bytes of codes. */
const MOST_BYTES = 256e6;

class Keep {
  private readonly entries = new Map<string, { value: TableData | Column; bytes: number }>();
  private bytes = 0;

  of<T extends TableData | Column | undefined>(
    key: string,
    make: () => T,
    size: (value: NonNullable<T>) => number,
  ): T {
    const found = this.entries.get(key);
    if (found) {
      this.entries.delete(key);
      this.entries.set(key, found); // the last used stays longest
      return found.value as T;
    }
    const value = make();
    if (value === undefined) return value;
    const bytes = size(value);
    if (bytes > MOST_BYTES) return value;
    this.entries.set(key, { value, bytes });
    this.bytes += bytes;
    for (const [old, entry] of this.entries) {
      if (this.bytes <= MOST_BYTES) break;
      this.entries.delete(old);
      this.bytes -= entry.bytes;
    }
    return value;
  }
}

const kept = new Keep();
const bytesOf = (column: Column): number => column.codes.byteLength + 16 * column.domain.size;
const digest = (text: string): string => createHash('sha256').update(text).digest('base64url');

/** What claims, derived columns and derived tables of a model rest on. A checker of its own looks at no rows. */
export const basesOf = (
  workspace: string,
  model: Model,
  { versions, day }: Pick<OnModel, 'versions' | 'day'>,
  checker = new FormulaChecker(model),
) => new Bases(model, checker, (table) => `${workspace} ${versions[sourceKey(table)] ?? ''}`, digest, day);

/** Ways to what was derived for an earlier revision and still holds. */
export function restsOf(workspace: string, model: Model, task: Pick<OnModel, 'versions' | 'day'>) {
  const bases = basesOf(workspace, model, task);
  return {
    table: (table: Table, make: () => TableData | undefined): TableData | undefined =>
      table.source && 'steps' in table.source
        ? kept.of(`table ${bases.table(table.name)}`, make, (rows) =>
            [...rows.columns.values()].reduce((n, c) => n + bytesOf(c), 0),
          )
        : make(),
    column: (table: string, column: string, make: () => Column): Column =>
      kept.of(`column ${bases.column(table, column)}`, make, bytesOf),
  };
}
