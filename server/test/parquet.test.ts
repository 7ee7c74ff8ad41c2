import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { columnOf, valueAt } from '@crease/core/columns';
import { readModel } from '@crease/core/model';
import { formatType, toJson } from '@crease/core/values';
import { answerQuery } from '@crease/core/query';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { openFolder } from '../src/files.ts';
import { previewParquet, readParquetTable } from '../src/sources/parquetTable.ts';

const folder = mkdtempSync(join(tmpdir(), 'crease-parquet-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const day = (text: string) => new Date(`${text}T00:00:00Z`);
const write = (
  name: string,
  columnData: Parameters<typeof parquetWriteBuffer>[0]['columnData'],
  schema?: never,
) =>
  writeFileSync(
    join(folder, name),
    new Uint8Array(parquetWriteBuffer({ columnData, rowGroupSize: 2, ...(schema ? { schema } : {}) })),
  );

const model = (columns: { name: string; type: string }[], file = 'loan.parquet') =>
  readModel(
    JSON.stringify({
      crease: 1,
      name: 'm',
      tables: [{ name: 'loan', role: 'fact', source: { file }, columns }],
      measures: [
        { name: 'Loans', formula: 'count(loan)' },
        ...(columns.some((c) => c.name === 'fine') ? [{ name: 'Fines', formula: 'sum(loan.fine)' }] : []),
      ],
    }),
  );

test('a Parquet file gives the same columns as any: over row groups, with nulls, exact', async () => {
  write('loan.parquet', [
    { name: 'ID', data: [1n, 2n, 3n, 9_007_199_254_740_993n, 5n], type: 'INT64' },
    { name: 'fine', data: [0.1, 0.2, null, 12.35, -0.05], type: 'DOUBLE' },
    { name: 'branch', data: ['Ash', 'Élm', null, 'Ash', ''], type: 'STRING' },
    { name: 'late', data: [true, false, null, true, true], type: 'BOOLEAN' },
    {
      name: 'at',
      data: [day('2025-01-05'), day('2025-02-28'), null, day('1969-12-31'), day('2025-01-05')],
      type: 'TIMESTAMP',
    },
  ]);
  const columns = [
    { name: 'id', type: 'integer' },
    { name: 'fine', type: 'decimal(9,2)' },
    { name: 'branch', type: 'text' },
    { name: 'late', type: 'boolean' },
    { name: 'at', type: 'date' },
  ];
  const data = await openFolder(model(columns), folder, 20_000);
  const table = data.table('loan');
  const cells = (name: string) => [0, 1, 2, 3, 4].map((row) => valueAt(columnOf(table, name), row));
  expect(cells('id')).toEqual([1, 2, 3, 9_007_199_254_740_993n, 5]);
  expect(cells('fine')).toEqual([10, 20, null, 1235, -5]);
  expect(cells('branch')).toEqual(['Ash', 'Élm', null, 'Ash', '']);
  expect(cells('late')).toEqual([true, false, null, true, true]);
  expect(cells('at')).toEqual([20_093, 20_147, null, -1, 20_093]);
  expect(table.misfits.size).toBe(0);
  expect(answerQuery(data, { by: ['loan.branch'], measures: ['Loans', 'Fines'] }).rows).toEqual([
    ['', 1, '-0.05'],
    ['Ash', 2, '12.45'],
    ['Élm', 1, '0.20'],
    [null, 1, null],
  ]);
});

test('values that are not of their type are null and listed', async () => {
  write('loan.parquet', [
    { name: 'fine', data: [0.105, 1.25, 0.105], type: 'DOUBLE' },
    { name: 'n', data: ['12', 'twelve', null], type: 'STRING' },
  ]);
  const data = await openFolder(
    model([
      { name: 'fine', type: 'decimal(9,2)' },
      { name: 'n', type: 'integer' },
    ]),
    folder,
    20_000,
  );
  const { misfits } = data.table('loan');
  expect(misfits.get('fine')).toMatchObject({
    rows: 2,
    distinct: 1,
    sample: [{ text: '0.105', rows: 2, lines: [1, 3] }],
  });
  expect(misfits.get('n')).toMatchObject({ rows: 1, sample: [{ text: 'twelve', lines: [2] }] });
});

test.each([
  ['gone.parquet', /there is no file gone\.parquet/],
  ['text.parquet', /text\.parquet is not a readable Parquet file/],
  ['../loan.parquet', /lies outside of the data folder/],
  ['other.parquet', /the file of table loan has no column "id"; it has a, b/],
])('%s: one clear message', async (file, message) => {
  writeFileSync(join(folder, 'text.parquet'), 'id,fine\n1,2\n');
  write('other.parquet', [
    { name: 'a', data: [1], type: 'INT32' },
    { name: 'b', data: [1], type: 'INT32' },
  ]);
  await expect(openFolder(model([{ name: 'id', type: 'integer' }], file), folder, 20_000)).rejects.toThrow(
    message,
  );
});

test('decimals are read without loss: more digits than a double has, negative, as bytes, at another scale', async () => {
  const file = join(folder, 'decimals.parquet');
  const wide = [123_456_789_012_345_678_901_234n, -1n, -98_765_432_109_876_543_210n];
  writeFileSync(
    file,
    Buffer.from(
      parquetWriteBuffer({
        schema: [
          { name: 'root', num_children: 2 },
          { name: 'amount', type: 'INT64', converted_type: 'DECIMAL', precision: 18, scale: 4 },
          {
            name: 'wide',
            type: 'FIXED_LEN_BYTE_ARRAY',
            type_length: 16,
            repetition_type: 'REQUIRED',
            converted_type: 'DECIMAL',
            precision: 30,
            scale: 4,
          },
        ],
        columnData: [
          { name: 'amount', data: [123_456_789_012_341_234n, -55_000n, 100_000n] },
          { name: 'wide', data: wide },
        ],
      }),
    ),
  );
  const read = async (...columns: { name: string; type: string; sourceName?: string }[]) => {
    const table = await readParquetTable(file, { name: 't', role: 'fact', columns });
    return [...table.columns.values()].map((c) => ({
      values: Array.from({ length: 3 }, (_, row) => toJson(valueAt(c, row), c.type)),
      misfits: table.misfits.get(c.name)?.rows ?? 0,
    }));
  };
  expect(
    await read(
      { name: 'amount', type: 'decimal(18,4)' },
      { name: 'wide', type: 'decimal(30,4)' },
      { name: 'whole', type: 'integer', sourceName: 'amount' },
      { name: 'near', type: 'double', sourceName: 'amount' },
      { name: 'said', type: 'text', sourceName: 'wide' },
    ),
  ).toEqual([
    { values: ['12345678901234.1234', '-5.5000', '10.0000'], misfits: 0 },
    { values: ['12345678901234567890.1234', '-0.0001', '-9876543210987654.3210'], misfits: 0 },
    { values: [null, null, 10], misfits: 2 },
    { values: [12_345_678_901_234.123, -5.5, 10], misfits: 0 },
    { values: ['12345678901234567890.1234', '-0.0001', '-9876543210987654.3210'], misfits: 0 },
  ]);
  const preview = await previewParquet(file, {});
  expect(preview.columns.map((c) => [formatType(c.type), c.misfits.rows])).toEqual([
    ['decimal(18,4)', 0],
    ['decimal(30,4)', 0],
  ]);
  expect(preview.firstRows[0]).toEqual(['12345678901234.1234', '12345678901234567890.1234']);
});
