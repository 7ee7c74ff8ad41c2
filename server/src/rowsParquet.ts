import type { SchemaElement } from 'hyparquet';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { AggregateRows } from '@crease/core/rows';
import { parseType, TEXT, textReader } from '@crease/core/values';

/** Digits that a decimal of 64 bits holds. */
const MOST_DIGITS = 18;

/** The rows behind an aggregate as a Parquet file: exact decimals, days and moments as such. */
export function rowsParquet({ columns, rows }: AggregateRows): Uint8Array {
  const made = columns.map((column, i) =>
    parquetColumn(
      column,
      rows.map((row) => row[i] ?? null),
    ),
  );
  const root: SchemaElement = { name: 'root', num_children: made.length };
  return new Uint8Array(
    parquetWriteBuffer({
      schema: [root, ...made.map(({ element }) => element)],
      columnData: made.map(({ element, data }) => ({ name: element.name, data })),
    }),
  );
}

type Cell = null | boolean | number | string;

function parquetColumn(
  { name, title, type }: AggregateRows['columns'][number],
  cells: readonly Cell[],
): { element: SchemaElement; data: unknown[] } {
  const parsed = parseType(type) ?? TEXT;
  const read = textReader(parsed);
  // Values of an answer are read as those of a file are: exact numbers are whole ones of their scale.
  const values = cells.map((cell) => (cell === null ? null : read(String(cell))!));
  const element = (more: Partial<SchemaElement>): SchemaElement => ({
    name: title ?? name,
    repetition_type: 'OPTIONAL',
    ...more,
  });
  const whole = () => values.map((v) => (v === null ? null : BigInt(v as number | bigint)));
  switch (parsed.kind) {
    case 'boolean':
      return { element: element({ type: 'BOOLEAN' }), data: [...cells] };
    case 'integer':
      return { element: element({ type: 'INT64' }), data: whole() };
    case 'double':
      return { element: element({ type: 'DOUBLE' }), data: values };
    case 'date':
      return { element: element({ type: 'INT32', converted_type: 'DATE' }), data: values };
    case 'timestamp':
      return { element: element({ type: 'INT64', converted_type: 'TIMESTAMP_MICROS' }), data: whole() };
    case 'decimal':
      if (parsed.precision <= MOST_DIGITS) {
        const { precision, scale } = parsed;
        return {
          element: element({ type: 'INT64', converted_type: 'DECIMAL', precision, scale }),
          data: whole(),
        };
      }
  }
  const texts = cells.map((cell) => (cell === null ? null : String(cell)));
  return { element: element({ type: 'BYTE_ARRAY', converted_type: 'UTF8' }), data: texts };
}
