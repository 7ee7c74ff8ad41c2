import {
  chmodSync,
  mkdtempSync,
  readdirSync,
  rmSync,
  statSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { Model } from '@crease/core/model';
import { answerQuery } from '@crease/core/query';
import { FolderCache, openFolder } from '../src/files.ts';

let scratch = '';
beforeEach(() => (scratch = mkdtempSync(join(tmpdir(), 'crease-cache-'))));
afterEach(() => rmSync(scratch, { recursive: true, force: true }));

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      columns: [
        { name: 'receipt', type: 'text' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        { name: 'weight', type: 'double' },
        { name: 'copies', type: 'integer', use: 'quantity' },
      ],
    },
  ],
  measures: [
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Copies', formula: 'sum(loan.copies)' },
  ],
};
const ROWS = 60_000;
const file = () => join(scratch, 'loan.csv');
const cached = () => join(scratch, 'cached');

/** Writes the rows; they were changed an hour ago, so that the times of the file can be trusted. */
function write(fine: string): void {
  const rows = Array.from(
    { length: ROWS },
    (_, i) => `receipt number ${i},${i === 9 ? 'much' : fine},${i / 7},${i % 3}`,
  );
  writeFileSync(file(), `receipt,fine,weight,copies\n${rows.join('\n')}\n`);
}
/** The time of the cache runs ahead of that of the files. */
const cacheOf = (program = 'one', ahead = 3_600_000) =>
  new FolderCache(program, cached(), () => Date.now() + ahead);
async function ask(cache: FolderCache | undefined) {
  const data = await openFolder(model, scratch, 0, cache);
  const answer = answerQuery(data, { measures: ['Fines', 'Copies'], by: [] });
  const table = data.table('loan');
  const cells = [0, 9, ROWS - 1].map((row) =>
    [...table.columns.values()].map((column) => column.valuesOf([column.codes[row]!])[0]),
  );
  const misfits = [...table.misfits].map(([name, { rows, sample }]) => [name, rows, sample]);
  return { rows: answer.rows, cells, misfits, line: table.lineOf!(3) };
}

test('what was read once is not read again, and is the same: values, misfits, lines', async () => {
  write('0.25');
  const first = cacheOf();
  const read = await ask(first);
  expect(read.misfits).toHaveLength(1);
  first.write();
  expect(await ask(cacheOf())).toEqual(read);
  // What is kept is what answers.
  const db = new Database(join(cached(), readdirSync(cached())[0]!));
  db.prepare('update stored_table set first_line = first_line + 100').run();
  db.close();
  expect(await ask(cacheOf())).toEqual({ ...read, line: read.line + 100 });
  expect(await ask(undefined)).toEqual(read);
  const [one] = await cacheOf().list();
  expect(one).toMatchObject({
    file: file(),
    bytes: statSync(join(cached(), readdirSync(cached())[0]!)).size,
  });
  expect(readdirSync(cached())).toHaveLength(1);
  expect(cacheOf().clear().files).toBe(1);
  expect(await cacheOf().list()).toEqual([]);
});

test('a file that has changed is read again, also where its size and time are as before', async () => {
  write('0.25');
  const first = cacheOf();
  await ask(first);
  first.write();
  const { atime, mtime } = statSync(file());
  write('0.75');
  utimesSync(file(), atime, mtime);
  expect((await ask(cacheOf())).rows).toEqual((await ask(undefined)).rows);
});

test('a file that was changed just now, or while it was read, is not kept', async () => {
  write('0.25');
  const young = cacheOf('one', 0);
  await ask(young);
  young.write();
  const changing = cacheOf();
  await ask(changing);
  write('0.75');
  changing.write();
  expect(await cacheOf().list()).toEqual([]);
});

test('another build, and another way to read, keep their own; what is damaged is read again', async () => {
  write('0.25');
  for (const program of ['one', 'two']) {
    const cache = cacheOf(program);
    await ask(cache);
    cache.write();
  }
  expect(readdirSync(cached())).toHaveLength(2);
  for (const name of readdirSync(cached())) truncateSync(join(cached(), name), 5_000);
  const again = cacheOf();
  expect(await ask(again)).toEqual(await ask(undefined));
});

test('a folder that others can write to is not believed', async () => {
  write('0.25');
  const cache = cacheOf();
  const read = await ask(cache);
  cache.write();
  const [place] = readdirSync(cached()).map((name) => join(cached(), name));
  expect(statSync(place!).mode & 0o077).toBe(0);
  chmodSync(cached(), 0o777);
  truncateSync(place!, 0);
  expect(await ask(cacheOf())).toEqual(read);
  expect(statSync(place!).size).toBe(0); // not even looked at
});
