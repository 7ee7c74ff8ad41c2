// Writes rows of the loan lines as Parquet with Zstandard and compares its bytes with those of the same rows
// as the workspace holds them.
import { compress, init } from '@bokuweb/zstd-wasm';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { Column, TableData } from '@crease/core/columns';
import { columnValues, encodeDomain, encodeSegments, inFewestBytes } from '@crease/core/columns';
import { restingDomain } from '../server/src/store/index.ts';

/**
 * Bytes of both, over all columns. Zstandard at its default level, dictionaries and pages as the package
 * makes them.
 */
export async function againstParquet(table: TableData): Promise<{
  crease: number;
  parquet: number;
  columns: { name: string; crease: number; parquet: number }[];
}> {
  await init();
  const columns = [...table.columns.values()].map((column) => ({
    name: column.name,
    crease: ownBytes(column),
    parquet: parquetBytes(column),
  }));
  const sum = (of: (c: { crease: number; parquet: number }) => number) =>
    columns.reduce((total, c) => total + of(c), 0);
  return { crease: sum((c) => c.crease), parquet: sum((c) => c.parquet), columns };
}

function ownBytes(column: Column): number {
  const { domain, segments } = inFewestBytes(
    column.type,
    encodeDomain(column.domain, column.type),
    encodeSegments(column.codes),
  );
  return (
    restingDomain(domain).bytes.length + segments.reduce((sum, segment) => sum + segment.bytes.length, 0)
  );
}

/** One column as a file of its own: its head and foot are some hundred bytes. */
function parquetBytes(column: Column): number {
  const values = columnValues(column);
  const kind = column.type.kind;
  const type =
    kind === 'text'
      ? 'STRING'
      : kind === 'double'
        ? 'DOUBLE'
        : kind === 'boolean'
          ? 'BOOLEAN'
          : kind === 'timestamp'
            ? 'INT64'
            : 'INT32';
  const data = Array.from(column.codes, (code) => {
    const value = values[code]!;
    return value !== null && type === 'INT64' ? BigInt(value as number | bigint) : value;
  });
  const buffer = parquetWriteBuffer({
    columnData: [{ name: column.name, data, type }],
    codec: 'ZSTD',
    compressors: { ZSTD: (bytes: Uint8Array) => compress(bytes) },
    rowGroupSize: data.length,
  });
  return buffer.byteLength;
}
