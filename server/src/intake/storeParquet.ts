import type { Misfits } from '@crease/core/columns';
import {
  encodeDomain,
  encodeSegment,
  encodeSegments,
  inFewestBytes,
  MOST_COUNTED,
} from '@crease/core/columns';
import { ReadError } from '@crease/core/reading';
import type { ColumnToRead } from '@crease/core/reading';
import { formatType } from '@crease/core/values';
import { eachParquetColumn } from '../sources/parquetTable.ts';
import type { Replaces, Tables } from '../store/index.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

/** A Parquet file on its way into a workspace. */
export interface ParquetTask {
  readonly file: string;
  readonly table: string;
  readonly columns: readonly ColumnToRead[];
  readonly modelId: number;
  readonly key: string;
  readonly replaces: Replaces;
  /** Shared: [1] columns done, [2] not 0 to stop. */
  readonly shared: Int32Array;
}

/** What was stored, not visible yet. */
export interface StoredParquet {
  readonly tableId: number;
  readonly rows: number;
  readonly misfits: [string, Misfits][];
}

/**
 * Writes the columns of a Parquet file to a table that is not visible yet; `finish` makes it so. Throws
 * ReadError where it is stopped.
 */
export async function storeParquet(tables: Tables, task: ParquetTask): Promise<StoredParquet> {
  const misfits: [string, Misfits][] = [];
  let tableId: number | undefined;
  const begin = (rowCount: number) =>
    (tableId ??= tables.begin(
      task.modelId,
      task.key,
      { rowCount, problems: [], firstLine: 1, lines: undefined },
      task.replaces,
    ));
  const wanted = task.columns.map((c) => ({
    name: c.name,
    type: formatType(c.type),
    ...(c.fileName === undefined ? {} : { sourceName: c.fileName }),
    ...(c.pattern === undefined ? {} : { pattern: c.pattern }),
  }));
  try {
    return await stored();
  } catch (error) {
    if (tableId !== undefined) tables.drop(tableId);
    throw error;
  }

  async function stored(): Promise<StoredParquet> {
    const progress = new SharedProgress(task.shared);
    const rows = await eachParquetColumn(
      task.file,
      task.table,
      wanted,
      ({ column, misfits: bad }, ordinal, rowCount) => {
        if (progress.isStopped) throw new ReadError('cancelled');
        const { name, type, domain, codes, counts, nulls, distinct, runs } = column;
        tables.addColumn(begin(rowCount), ordinal, {
          name,
          sourceName: task.columns[ordinal]!.fileName,
          type,
          nulls,
          distinct,
          runs,
          ...inFewestBytes(type, encodeDomain(domain, type), encodeSegments(codes)),
          counts: domain.size <= MOST_COUNTED ? encodeSegment(counts) : undefined,
        });
        if (bad) misfits.push([name.toLowerCase(), bad]);
        progress.add(1);
      },
    );
    return { tableId: begin(rows), rows, misfits };
  }
}
