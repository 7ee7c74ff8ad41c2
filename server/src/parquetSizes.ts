import { gzipSync } from 'node:zlib';
import { parquetMetadata } from 'hyparquet';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { Column } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import { parquetType } from './rowsParquet.ts';

/** Rows of a row group: those of all columns of one are in memory together. */
const GROUP_ROWS = 1 << 20;

/** Bytes that a column takes in a Parquet file that is packed with gzip: its data and its dictionaries. */
export function parquetBytes(column: Column): number {
  const { element, of } = parquetType('c', column.type);
  const values = columnValues(column).map((value) => (value === null ? null : of(value)));
  let bytes = 0;
  for (let from = 0; from < column.rowCount; from += GROUP_ROWS) {
    const codes = column.codes.subarray(from, from + GROUP_ROWS);
    const file = parquetWriteBuffer({
      schema: [{ name: 'root', num_children: 1 }, element],
      columnData: [{ name: 'c', data: Array.from(codes, (code) => values[code]) }],
      codec: 'GZIP',
      compressors: { GZIP: (data: Uint8Array) => new Uint8Array(gzipSync(data)) },
      statistics: false,
    });
    for (const group of parquetMetadata(file).row_groups)
      for (const chunk of group.columns) bytes += Number(chunk.meta_data?.total_compressed_size ?? 0);
  }
  return bytes;
}
