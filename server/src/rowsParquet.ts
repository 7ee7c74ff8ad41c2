import type { SchemaElement } from 'hyparquet';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { Answer } from '@crease/core/query';
import type { AggregateRows } from '@crease/core/rows';
import type { DataType, Value } from '@crease/core/values';
import { parseType, TEXT, textReader, toText } from '@crease/core/values';

/** Digits that a decimal of 64 bits holds. */
const MOST_DIGITS = 18;
/** Bytes of one of more: 38 digits, the most that ours have. */
const WIDE_BYTES = 16;

/**
 * An answer as a Parquet file: members and measures row by row, without totals. A member that is no value is
 * null; what a top leaves over has its words where the column holds texts, and is null elsewhere.
 */
export const answerParquet = ({ columns, rows }: Pick<Answer, 'columns' | 'rows'>): Uint8Array =>
  rowsParquet({
    columns,
    rows: rows.map((row) =>
      row.map((member, i) => {
        if (member === null || typeof member !== 'object') return member;
        return 'others' in member && columns[i]!.type === 'text' ? OTHERS : null;
      }),
    ),
  });

const OTHERS = 'all others';

/** The rows behind an aggregate as a Parquet file: exact decimals, days and moments as such. */
export function rowsParquet({ columns, rows }: Pick<AggregateRows, 'columns' | 'rows'>): Uint8Array {
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
  const { element, of } = parquetType(title ?? name, parsed);
  // Values of an answer are read as those of a file are: exact numbers are whole ones of their scale.
  const data = cells.map((cell) =>
    cell === null ? null : of(typeof cell === 'boolean' ? cell : read(String(cell))!),
  );
  return { element, data };
}

/** How a column of a type stands in a Parquet file, and what its values are there. */
export function parquetType(
  name: string,
  type: DataType,
): { element: SchemaElement; of: (value: NonNullable<Value>) => unknown } {
  const element = (more: Partial<SchemaElement>): SchemaElement => ({
    name,
    repetition_type: 'OPTIONAL',
    ...more,
  });
  const asItIs = (value: NonNullable<Value>) => value;
  const whole = (value: NonNullable<Value>) => BigInt(value as number | bigint);
  switch (type.kind) {
    case 'boolean':
      return { element: element({ type: 'BOOLEAN' }), of: asItIs };
    case 'integer':
      return { element: element({ type: 'INT64' }), of: whole };
    case 'double':
      return { element: element({ type: 'DOUBLE' }), of: asItIs };
    case 'date':
      return { element: element({ type: 'INT32', converted_type: 'DATE' }), of: asItIs };
    case 'timestamp':
      return { element: element({ type: 'INT64', converted_type: 'TIMESTAMP_MICROS' }), of: whole };
    case 'decimal': {
      const { precision, scale } = type;
      const physical: Partial<SchemaElement> =
        precision <= MOST_DIGITS
          ? { type: 'INT64' }
          : { type: 'FIXED_LEN_BYTE_ARRAY', type_length: WIDE_BYTES };
      return { element: element({ ...physical, converted_type: 'DECIMAL', precision, scale }), of: whole };
    }
  }
  return {
    element: element({ type: 'BYTE_ARRAY', converted_type: 'UTF8' }),
    of: (value) => toText(value, type),
  };
}
