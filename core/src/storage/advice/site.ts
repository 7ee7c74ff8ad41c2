import type { Column } from '../../columns/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { Edit } from '../../edit/index.ts';
import type { Model, ModelColumn, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { DataError } from '../../query/index.ts';
import type { Uses } from '../usedBy.ts';
import type { Fold, FoldOf } from './fold.ts';

/** A stored column that could weigh less, with what is known around it. */
export interface Site {
  readonly data: ModelData;
  readonly table: Table;
  readonly declared: ModelColumn;
  readonly column: Column;
  /** What uses it, in words; none where nothing does. */
  readonly usedBy: readonly string[];
  readonly uses: Uses;
}

/** What a column or table would weigh if it were held in another way, measured on all rows. */
export interface Found {
  readonly fold: Fold;
  /** What would be done, as an order: `leave the column out`. */
  readonly change: string;
  readonly reason: string;
  readonly beforeBytes: number;
  readonly afterBytes: number;
}

/**
 * One way of making a model lighter. A new one is one file, and a line in the lists of kinds and of schemas.
 */
export interface FoldKind<D extends Fold['do']> {
  readonly does: D;
  /** Finds where it would save something. */
  find(site: Site): readonly Found[];
  /** The edit that does it on a model; undefined where the model has changed so that it cannot be done. */
  edit(model: Model, fold: FoldOf<D>): Edit | undefined;
}

/** Stored columns of the tables that are weighed; those that cannot be had are left to their claims. */
export function sitesOf(data: ModelData, uses: Uses): Site[] {
  return data.model.tables
    .filter((t) => t.role !== 'staging')
    .flatMap((table) =>
      table.columns
        .filter((c) => c.formula === undefined)
        .flatMap((declared): Site[] => {
          try {
            const column = data.column(table.name, declared.name);
            const usedBy = uses.get(columnPath(table.name, declared.name).toLowerCase()) ?? [];
            return [{ data, table, declared, column, usedBy, uses }];
          } catch (error) {
            if (error instanceof DataError) return [];
            throw error;
          }
        }),
    );
}

/** The table and column that a fold speaks of, in the model as it is now. */
export function placeOf(
  model: Model,
  fold: { readonly table: string; readonly column: string },
): { table: Table; column: ModelColumn } | undefined {
  const table = model.tables.find((t) => sameName(t.name, fold.table));
  const column = table?.columns.find((c) => sameName(c.name, fold.column));
  return table && column && column.formula === undefined ? { table, column } : undefined;
}
