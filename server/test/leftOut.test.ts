import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { JobState, LoadsState } from '@crease/contract';
import { wholeRecords } from '../src/intake/wholeLines.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { cases } from '../../tools/cases.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());

const folder = mkdtempSync(join(tmpdir(), 'crease-left-out-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8' as const, newline: '\n' };

test('records are had by their first lines, whatever ends lines and whatever the encoding', async () => {
  const file = join(folder, 'some.csv');
  const text = 'no,note\r\n1,plain\r\n2,"two\r\nlines, ""so"""\r\n3,ünï\r\n4,last';
  const expected = new Map([
    [2, '1,plain'],
    [3, '2,"two\nlines, ""so"""'],
    [5, '3,ünï'],
    [6, '4,last'],
  ]);
  const wanted = [2, 3, 5, 6, 99];
  writeFileSync(file, text);
  expect(await wholeRecords(file, DIALECT, wanted)).toEqual(expected);
  writeFileSync(file, text.replaceAll('\r\n', '\r'));
  expect(await wholeRecords(file, DIALECT, wanted)).toEqual(expected);
  writeFileSync(file, Buffer.from(`\uFEFF${text}`, 'utf16le'));
  expect(await wholeRecords(file, { ...DIALECT, encoding: 'utf-16le' }, wanted)).toEqual(expected);
  writeFileSync(`${file}.gz`, gzipSync(text));
  expect(await wholeRecords(`${file}.gz`, DIALECT, wanted)).toEqual(expected);
});

test('any records of any texts are had word for word', async () => {
  const file = join(folder, 'any.csv');
  const field = fc.string({ unit: fc.constantFrom('a', '"', ',', '\n', 'é', ' '), maxLength: 8 });
  await fc.assert(
    fc.asyncProperty(fc.array(field, { minLength: 1, maxLength: 12 }), async (fields) => {
      const records = fields.map((f, i) => `${i},"${f.replaceAll('"', '""')}"`);
      writeFileSync(file, `no,note\n${records.join('\n')}\n`);
      let line = 2;
      const at = records.map((record) => {
        const first = line;
        line += record.split('\n').length;
        return [first, record] as const;
      });
      expect(
        await wholeRecords(
          file,
          DIALECT,
          at.map(([first]) => first),
        ),
      ).toEqual(new Map(at));
    }),
    { numRuns: cases(80) },
  );
});

const TEXT = 'no,day\n1,2024-03-01\n2,"soon,\nperhaps"\n3,2025-03-01,extra\n4,never\n';
async function load(id: number, change: object, dryRun = false): Promise<JobState> {
  const upload = await fixture.upload('loan.csv', TEXT);
  const columns = [
    { name: 'no', fileName: 'no', type: 'integer' },
    { name: 'day', fileName: 'day', type: 'date', pattern: 'yyyy-MM-dd' },
  ];
  return fixture.load(id, [{ upload, name: 'loan', dialect: DIALECT, columns, ...change }], dryRun);
}

test('what a load did not take is kept as a file with lines, reasons and whole records; a dry run has it before', async () => {
  const id = await fixture.newModel('left out');
  const job = await load(id, { misfits: 'leave out' });
  expect(job.state).toBe('done');
  const { log } = (await fixture.api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState;
  expect(log[0]!.hasRecords).toBe(true);
  const { text } = await fixture.api().get(`/api/models/${id}/loads/${log[0]!.id}/left-out`).expect(200);
  const lines = text.split('\n');
  expect(lines[0]).toBe('line,reason,record');
  expect(text).toContain('3,day: the value is not of the type of its column,"2,""soon,\nperhaps"""\n');
  expect(text).toContain('6,day: the value is not of the type of its column,"4,never"\n');
  expect(text).toMatch(/^5,.*"3,2025-03-01,extra"$/m);
  const tried = await load(id, { misfits: 'leave out' }, true);
  expect(tried.loads![0]!.leftOutFile).toBe(text);
  // Where values become null only the record that could not be read at all is left.
  await load(id, { misfits: 'null' });
  const again = (await fixture.api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState;
  const other = await fixture.api().get(`/api/models/${id}/loads/${again.log[0]!.id}/left-out`).expect(200);
  expect(other.text.trim().split('\n')).toHaveLength(2);
  await fixture.api().get(`/api/models/${id}/loads/99/left-out`).expect(404);
});

const leftOutOf = async (id: number): Promise<string> => {
  const { log } = (await fixture.api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState;
  return (await fixture.api().get(`/api/models/${id}/loads/${log[0]!.id}/left-out`).expect(200)).text;
};

test('rows of a Parquet file that were not taken are kept with their values', async () => {
  const id = await fixture.newModel('left out of parquet');
  const file = parquetWriteBuffer({
    columnData: [
      { name: 'no', data: [1, 2, 3, 4], type: 'INT32' },
      { name: 'day', data: ['2024-03-01', 'soon, perhaps', null, 'never'], type: 'STRING', nullable: true },
    ],
    rowGroupSize: 2,
  });
  const upload = await fixture.upload('loan.parquet', Buffer.from(file));
  const columns = [
    { name: 'no', fileName: 'no', type: 'integer' },
    { name: 'day', fileName: 'day', type: 'date', pattern: 'yyyy-MM-dd' },
  ];
  const order = { upload, name: 'loan', dialect: DIALECT, columns, misfits: 'leave out' };
  expect(await fixture.load(id, [order])).toMatchObject({ state: 'done' });
  const reason = 'day: the value is not of the type of its column';
  expect(await leftOutOf(id)).toBe(`row,reason,no,day\n2,${reason},2,"soon, perhaps"\n4,${reason},4,never\n`);
  expect(await fixture.rowsOf(id, 'loan')).toEqual([
    [1, '2024-03-01'],
    [3, null],
  ]);
});

test('rows of a database that were not taken are kept under the names of its columns', async () => {
  const id = await fixture.newModel('left out of a database');
  const place = join(fixture.folder, 'left-out.sqlite');
  const database = new Database(place);
  database.exec(
    `create table loan (no integer, note text, day date);
     insert into loan values (1, 'a,"b', '2024-03-01'), (2, 'two' || char(10) || 'lines', 'soon'), (3, null, 'never')`,
  );
  database.close();
  const connection = { kind: 'sqlite', name: 'kept', file: place };
  await fixture.api().put('/api/connections').send(connection).expect(200);
  const drawn = await fixture
    .api()
    .post('/api/connections/kept/sample')
    .send({ tables: [{ table: 'loan' }] })
    .expect(200);
  const [upload] = drawn.body as { id: string }[];
  const order = { ...(await fixture.orderOf(upload!.id, 'loan')), misfits: 'leave out' };
  expect(await fixture.load(id, [order])).toMatchObject({ state: 'done' });
  const text = await leftOutOf(id);
  const reason = 'day: the value is not of the type of its column';
  expect(text).toBe(`reason,no,note,day\n${reason},2,"two\nlines",soon\n${reason},3,,never\n`);
});
