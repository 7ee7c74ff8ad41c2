import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Misfits, TableData } from '@crease/core/columns';
import { columnOf, columnValues, combineTables } from '@crease/core/columns';
import type { ReadSpec } from '@crease/core/reading';
import { CHUNK_BYTES, DEFAULT_DIALECT, readTable } from '@crease/core/reading';
import { DATE, decimal, INTEGER, TEXT } from '@crease/core/values';
import { encodeColumn } from '../src/intake/encodeColumn.ts';
import { readPieces } from '../src/intake/pieces.ts';
import type { FileFacts } from '../src/intake/readFile.ts';
import { readFile } from '../src/intake/readFile.ts';
import { openWorkspace, Tables } from '../src/store/index.ts';
import { SharedProgress } from '../src/threads/sharedProgress.ts';
import { expectSame } from '../../tools/same.ts';

const folder = mkdtempSync(join(tmpdir(), 'crease-intake-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const spec: ReadSpec = {
  table: 't',
  dialect: DEFAULT_DIALECT,
  columns: [
    { name: 'id', type: INTEGER },
    { name: 'title', type: TEXT },
    { name: 'price', type: decimal(9, 2) },
    { name: 'day', type: DATE },
  ],
};

/** Reads with several readers, in this thread, into a workspace and back. */
async function readInPieces(text: Buffer, readers: number): Promise<{ table: TableData; rows: number }> {
  const file = join(folder, 'rows.csv');
  writeFileSync(file, text);
  const db = openWorkspace(':memory:');
  db.prepare('insert into model (id, head, created_at) values (1, 0, ?)').run('now');
  const tables = new Tables(db);
  let id = 0;
  let facts: FileFacts | undefined;
  const threads = {
    count: readers,
    pieces: (task: Parameters<typeof readPieces>[0]) => Promise.resolve(readPieces(task)),
    column: (task: Parameters<typeof encodeColumn>[0], ordinal: number): Promise<Misfits | undefined> => {
      const { column, misfits } = encodeColumn(task);
      tables.addColumn(id, ordinal, column);
      return Promise.resolve(misfits);
    },
  };
  const shared = new SharedProgress().memory;
  const onFacts = (found: FileFacts) => {
    facts = found;
    id = tables.begin(1, 'rows.csv', found);
  };
  const { rowCount, misfits } = await readFile(file, spec, threads, { shared, onFacts });
  tables.finish(id, misfits);
  expect(facts!.rowCount).toBe(rowCount);
  return { table: tables.read(String(id), 't'), rows: rowCount };
}

const facts = (table: TableData) => ({
  rows: table.rowCount,
  problems: table.problems,
  // Lists of all rows are for the load only.
  misfits: [...table.misfits].map(([column, { all: _all, ...kept }]) => [column, kept]),
  columns: [...table.columns.values()].map((c) => ({
    ...{
      name: c.name,
      distinct: c.distinct,
      nulls: c.nulls,
      runs: c.runs,
      size: c.domain.size,
      padded: c.padded,
    },
    counts: Array.from(c.counts),
  })),
});

function expectSameTable(a: TableData, b: TableData): void {
  expectSame(facts(a), facts(b));
  for (const column of spec.columns) {
    const [x, y] = [columnOf(a, column.name), columnOf(b, column.name)];
    expect(Buffer.compare(Buffer.from(x.codes.buffer), Buffer.from(y.codes.buffer))).toBe(0);
    expectSame(columnValues(x), columnValues(y));
  }
  for (const row of [0, 1, a.rowCount >> 1, a.rowCount - 1]) expect(a.lineOf!(row)).toBe(b.lineOf!(row));
}

/** Rows of a bit more than `pieces` pieces, made by a small generator so that they are the same each time. */
function rowsOf(pieces: number, row: (n: number, next: () => number) => string): Buffer {
  let state = 7;
  const next = () => (state = (Math.imul(state, 1103515245) + 12345) >>> 1) / 0x7fffffff;
  const parts = ['id,title,price,day\n'];
  for (let n = 0, size = 0; size < (pieces + 0.3) * CHUNK_BYTES; n++) {
    const text = row(n, next);
    parts.push(text);
    size += text.length;
  }
  return Buffer.from(parts.join(''));
}

const plain = (n: number, next: () => number) =>
  `${n},Title ${Math.floor(next() * 50_000)},${(next() * 90).toFixed(2)},2025-${String(1 + Math.floor(next() * 12)).padStart(2, '0')}-11\n`;

test('several readers give the table that one gives', async () => {
  const text = rowsOf(3, (n, next) =>
    n % 997 === 0 ? `${n},short\n` : n % 501 === 0 ? `x${n % 7},é ${n},,2025-02-30\r\n` : plain(n, next),
  );
  const { table } = await readInPieces(text, 3);
  expect(table.problems.length).toBeGreaterThan(50);
  expectSameTable(table, readTable(spec, text));
});

test('whole numbers with zeros in front are counted, in pieces and in parts that are put together', async () => {
  const text = rowsOf(2, (n, next) => (n % 10 === 0 ? `0${plain(n, next)}` : plain(n, next)));
  const { table } = await readInPieces(text, 2);
  expectSameTable(table, readTable(spec, text));
  const padded = columnOf(table, 'id').padded;
  expect(padded).toBe(Math.ceil(table.rowCount / 10));
  expect(columnOf(combineTables('t', [table, table]), 'id').padded).toBe(2 * padded);
  const few = readTable(
    spec,
    Buffer.from('id,title,price,day\n0,007,0.50,2025-01-01\n00,007,00.5,2025-01-01\n-1,,,\n'),
  );
  expect([...few.columns.values()].map((c) => c.padded)).toEqual([1, 0, 0, 0]);
});

test('line ends inside of quotes do not lead a piece astray', async () => {
  const long = `line\n${'more, of it\n'.repeat(40)}`;
  const text = rowsOf(4, (n, next) =>
    n % 3 === 0 ? `${n},"${long}${n % 11}",1.5,2025-01-01\n` : plain(n, next),
  );
  const { table } = await readInPieces(text, 3);
  expectSameTable(table, readTable(spec, text));
});

test('a record that goes on over several pieces is one record', async () => {
  const huge = `${'a line of prose, without an end\n'.repeat(300_000)}`;
  const text = Buffer.concat([
    rowsOf(0, plain),
    Buffer.from(`1,"${huge}",1,2025-01-01\n`),
    rowsOf(1, plain).subarray(19),
  ]);
  const { table } = await readInPieces(text, 2);
  expect(table.problems).toMatchObject([
    { column: 'title', message: `the field has ${huge.length} bytes, the most is 1048576` },
  ]);
  expectSameTable(table, readTable(spec, text));
});

test('a quote that is never closed is one clear message', async () => {
  const text = Buffer.concat([
    rowsOf(0, plain),
    Buffer.from('1,"never closed,1,2025-01-01\n'),
    Buffer.alloc(70 << 20, 'x\n'),
  ]);
  await expect(readInPieces(text, 2)).rejects.toThrow(
    /^table t: the record that starts on line \d+ is longer than 64 MB: is a quote not closed\?$/,
  );
});

test('a file with a header and nothing else has no rows', async () => {
  const { table } = await readInPieces(Buffer.from('id,title,price,day\n'), 2);
  expectSameTable(
    { ...table, lineOf: () => 0 },
    { ...readTable(spec, Buffer.from('id,title,price,day\n')), lineOf: () => 0 },
  );
});
