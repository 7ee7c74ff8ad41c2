import { columnPath } from '@crease/core/formula';
import { DataError } from '@crease/core/query';
import { profiledTables } from '@crease/core/storage';
import { parquetBytes } from '../parquetSizes.ts';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { FiguresOfModel } from './keptFigures.ts';
import { dataOf } from './modelRows.ts';

/**
 * Bytes of the stored columns of a model in Parquet files, by `table.column`; those that cannot be had are
 * left out.
 */
export const parquetSizes = task((input: ModelVersion): Record<string, number> => {
  const data = dataOf(input);
  const figures = new FiguresOfModel(data.model, input);
  const sizes = profiledTables(data.model).flatMap((table) =>
    table.columns
      .filter((c) => c.formula === undefined)
      .flatMap((c): [string, number][] => {
        try {
          const bytes = figures.ofColumn('parquet', table.name, c.name, () =>
            parquetBytes(data.column(table.name, c.name)),
          );
          return [[columnPath(table.name, c.name), bytes]];
        } catch (error) {
          if (error instanceof DataError) return [];
          throw error;
        }
      }),
  );
  figures.save();
  return Object.fromEntries(sizes);
});
