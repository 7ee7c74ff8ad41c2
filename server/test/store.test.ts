import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import type { Value } from '@crease/core/values';
import { decimal, DOUBLE, INTEGER, TEXT } from '@crease/core/values';
import { calledNow, columnOfValues, columnOf, tableOf, valueAt } from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import {
  ConflictError,
  Models,
  NoModelError,
  openWorkspace,
  Tables,
  Verdicts,
  WorkspaceError,
} from '../src/store/index.ts';
import { writeTable } from './writeTable.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-store-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const open = () => openWorkspace(join(folder, 'w.sqlite'));
const model: Model = { crease: 1, name: 'small', tables: [{ name: 'loan', role: 'fact', columns: [] }] };

describe('revisions', () => {
  test('edits chain, undo and redo walk the chain, across a restart', () => {
    let models = new Models(open());
    const id = models.create(model, 'began');
    const second = models.edit(
      id,
      models.head(id).id,
      [{ do: 'set-table', table: 'loan', change: { role: 'dimension' } }],
      'a dimension',
    );
    const third = models.edit(
      id,
      second.id,
      [{ do: 'set-table', table: 'loan', change: { grain: 'one loan' } }],
      'its grain',
    );
    models = new Models(open());
    expect(models.undo(id, third.id)!.model.tables[0]).toMatchObject({ role: 'dimension' });
    expect(models.undo(id, second.id)!.model).toEqual(model);
    expect(models.undo(id, models.head(id).id)).toBeUndefined();
    models = new Models(open());
    expect(models.redo(id, models.head(id).id)!.says).toBe('a dimension');
    expect(models.redo(id, second.id)!.id).toBe(third.id);
    expect(models.history(id).map((h) => [h.number, h.says, h.isHead])).toEqual([
      [3, 'its grain', true],
      [2, 'a dimension', false],
      [1, 'began', false],
    ]);
  });

  test('an edit on an older revision is a conflict, and overwrites nothing', () => {
    const models = new Models(open());
    const id = models.create(model, 'began');
    const first = models.head(id);
    models.edit(id, first.id, [{ do: 'set-model', change: { title: 'Mine' } }], 'mine');
    expect(() =>
      models.edit(id, first.id, [{ do: 'set-model', change: { title: 'Theirs' } }], 'theirs'),
    ).toThrow(ConflictError);
    expect(models.head(id).model.title).toBe('Mine');
  });

  test('an edit that does not fit leaves no revision', () => {
    const models = new Models(open());
    const id = models.create(model, 'began');
    expect(() => models.edit(id, models.head(id).id, [{ do: 'remove-tables', name: 'lone' }], 'x')).toThrow(
      /no "lone"/,
    );
    expect(models.head(id).number).toBe(1);
    expect(() => models.head(99)).toThrow(NoModelError);
  });
});

describe('tables', () => {
  const cells = fc.array(
    fc.record({
      a: fc.option(fc.oneof(fc.integer(), fc.constant(9007199254740993n))),
      b: fc.option(fc.string()),
      c: fc.option(fc.integer({ min: -999, max: 999 })),
    }),
    { minLength: 1, maxLength: 60 },
  );

  test('rows come back as they went in, with their lines', () => {
    const tables = new Tables(open());
    const models = new Models(open());
    const id = models.create(model, 'began');
    fc.assert(
      fc.property(cells, fc.boolean(), (rows, regular) => {
        const texts = rows.map((r) => (r.b === null || !r.b.isWellFormed() ? null : r.b));
        const columns = [
          columnOfValues(
            'a',
            INTEGER,
            rows.map((r): Value => r.a),
          ),
          columnOfValues('b', TEXT, texts),
          columnOfValues(
            'c',
            decimal(5, 2),
            rows.map((r) => r.c),
          ),
        ];
        const lineOf = regular ? (row: number) => row + 2 : (row: number) => row * 3 + 2;
        const stored = writeTable(
          tables,
          id,
          'loan.csv',
          tableOf('loan', columns, {
            lineOf,
            misfits: new Map([['a', { rows: 1, distinct: 1, sample: [{ text: 'x', rows: 1, lines: [4] }] }]]),
          }),
        );
        const back = tables.read(stored, 'renamed');
        expect(back.name).toBe('renamed');
        rows.forEach((r, i) => {
          expect(['a', 'b', 'c'].map((name) => valueAt(columnOf(back, name), i))).toEqual([
            r.a,
            texts[i],
            r.c,
          ]);
          expect(back.lineOf!(i)).toBe(lineOf(i));
        });
        expect(back.misfits.get('a')!.rows).toBe(1);
        expect(Object.values(tables.versions(id))).toEqual([stored]);
      }),
      { numRuns: 25 },
    );
  });

  test('near-unique doubles lie in the workspace as they are, eight bytes a row, and come back with their codes', () => {
    const db = open();
    const id = new Models(db).create(model, 'began');
    const values = Array.from({ length: 2000 }, (_, k) => (k % 7 === 0 ? null : Math.sin(k) * 1e3));
    const column = columnOfValues('reading', DOUBLE, values);
    writeTable(new Tables(db), id, 'sensor.csv', tableOf('sensor', [column]));
    expect(db.prepare('select encoding, length(bytes) as bytes from segment').all()).toEqual([
      { encoding: 'doubles', bytes: 16_000 },
    ]);
    // Asked for codes first and for values first.
    for (const first of ['codes', 'domain'] as const) {
      const tables = new Tables(db);
      const back = columnOf(tables.read(tables.versions(id)['sensor.csv']!, 'sensor'), 'reading');
      expect(back[first]).toBeDefined();
      expect(values.map((_, row) => valueAt(back, row))).toEqual(values);
      expect({
        codes: back.codes,
        distinct: back.distinct,
        nulls: back.nulls,
        bytes: back.dictionaryBytes,
      }).toEqual({
        codes: column.codes,
        distinct: column.distinct,
        nulls: 286,
        bytes: column.dictionaryBytes,
      });
    }
  });

  test('a load that never came to its end leaves the rows as they were', () => {
    const db = open();
    const tables = new Tables(db);
    const id = new Models(db).create(model, 'began');
    const before = writeTable(
      tables,
      id,
      'loan.csv',
      tableOf('loan', [columnOfValues('a', INTEGER, [1, 2])]),
    );
    // What a killed process leaves behind: a table that is still loading, with a column and a segment.
    db.prepare(
      `insert into stored_table (model_id, source_key, state, rows, problems, misfits, first_line, loaded_at) values (?, 'loan.csv', 'loading', 9, '[]', '[]', 2, '')`,
    ).run(id);
    db.prepare(
      `insert into stored_column (table_id, ordinal, name, type, domain) values ((select max(id) from stored_table), 0, 'a', 'integer', x'00')`,
    ).run();
    db.prepare(
      `insert into segment values ((select max(id) from stored_column), 0, 9, 'constant', x'00')`,
    ).run();
    expect(tables.versions(id)).toEqual({ 'loan.csv': before });
    expect(new Tables(open()).dropUnfinished()).toBe(1);
    expect(db.prepare('select count(*) as n from segment').get()).toEqual({ n: 1 });
    expect(tables.read(before, 'loan').rowCount).toBe(2);
  });
});

describe('parts of a table', () => {
  const part = (name: string) => ({ part: name });
  const months = { January: [1, 2, null, 2], February: [5, 1], March: [-3] };
  const load = (tables: Tables, id: number, name: string, values: readonly Value[]) =>
    writeTable(
      tables,
      id,
      'loan.csv',
      tableOf('loan', [
        columnOfValues('a', INTEGER, values),
        columnOfValues(
          'b',
          TEXT,
          values.map((v) => `title ${String(v)}`),
        ),
      ]),
      part(name),
    );
  const now = (tables: Tables, id: number) => {
    const table = tables.read(tables.versions(id)['loan.csv']!, 'loan');
    const a = columnOf(table, 'a');
    return {
      rows: Array.from({ length: table.rowCount }, (_, row) => valueAt(a, row)),
      nulls: a.nulls,
      distinct: a.distinct,
      runs: a.runs,
    };
  };
  const stored = (db: ReturnType<typeof open>) =>
    db
      .prepare(
        `select s.column_id, s.ordinal, s.bytes, c.domain from segment s join stored_column c on c.id = s.column_id
         join stored_table t on t.id = c.table_id where t.retired_at is null`,
      )
      .all() as object[];

  test('one is added or replaced without touching what the others have stored', () => {
    const db = open();
    const tables = new Tables(db);
    const id = new Models(db).create(model, 'began');
    load(tables, id, 'January', months.January);
    const january = stored(db);
    load(tables, id, 'February', months.February);
    load(tables, id, 'March', months.March);
    expect(stored(db)).toEqual(expect.arrayContaining(january));
    expect(now(tables, id)).toEqual({ rows: [1, 2, null, 2, 5, 1, -3], nulls: 1, distinct: 4, runs: 7 });
    const before = stored(db);
    load(tables, id, 'February', [2, 9]);
    expect(now(tables, id)).toEqual({ rows: [1, 2, null, 2, -3, 2, 9], nulls: 1, distinct: 4, runs: 7 });
    expect(
      stored(db).filter((row) => before.some((old) => JSON.stringify(old) === JSON.stringify(row))),
    ).toHaveLength(4);
    expect(tables.list(id)).toMatchObject([
      {
        rows: 7,
        parts: [
          { name: 'January', rows: 4 },
          { name: 'March', rows: 1 },
          { name: 'February', rows: 2 },
        ],
      },
    ]);
  });

  test('rows of other columns are refused, and what was there stays', () => {
    const db = open();
    const tables = new Tables(db);
    const id = new Models(db).create(model, 'began');
    load(tables, id, 'January', months.January);
    const others = tableOf('loan', [columnOfValues('a', TEXT, ['x']), columnOfValues('b', TEXT, ['y'])]);
    expect(() => writeTable(tables, id, 'loan.csv', others, part('February'))).toThrow(
      /rows that are there have a integer, the new ones a text/,
    );
    expect(now(tables, id).rows).toEqual(months.January);
    expect(stored(open())).toHaveLength(4);
    expect(tables.dropUnfinished()).toBe(1);
    expect(stored(db)).toHaveLength(2);
  });

  test('parts that were loaded under other names are parts of the same columns, under the names of now', () => {
    const tables = new Tables(open());
    const id = new Models(open()).create(model, 'began');
    const column = (name: string, values: Value[]) => columnOfValues(name, INTEGER, values);
    writeTable(
      tables,
      id,
      'loan.csv',
      tableOf('loan', [column('no', [1, 2])], { sourceNames: new Map([['no', 'loan no']]) }),
      part('January'),
    );
    writeTable(
      tables,
      id,
      'loan.csv',
      tableOf('loan', [column('number', [3])], { sourceNames: new Map([['number', 'loan no']]) }),
      part('February'),
    );
    const read = tables.read(tables.versions(id)['loan.csv']!, 'loan');
    const now = calledNow(read, [{ name: 'receipt', sourceName: 'Loan No' }]);
    expect([...now.columns.keys()]).toEqual(['receipt']);
    expect([0, 1, 2].map((row) => valueAt(columnOf(now, 'receipt'), row))).toEqual([1, 2, 3]);
  });

  test('a load of the whole table takes the place of all parts', () => {
    const db = open();
    const tables = new Tables(db);
    const id = new Models(db).create(model, 'began');
    load(tables, id, 'January', months.January);
    load(tables, id, 'February', months.February);
    writeTable(tables, id, 'loan.csv', tableOf('loan', [columnOfValues('a', INTEGER, [7])]));
    expect(now(tables, id).rows).toEqual([7]);
    expect(stored(db)).toHaveLength(1);
  });
});

test('verdicts are kept', () => {
  const db = open();
  const id = new Models(db).create(model, 'began');
  const verdicts = new Verdicts(db);
  verdicts.save(id, [
    {
      claim: 'key-unique:loan',
      basis: 'b',
      judgement: { verdict: 'holds', evidence: { checked: 1, against: 0 } },
    },
  ]);
  expect(verdicts.all(id)).toEqual([
    {
      claim: 'key-unique:loan',
      basis: 'b',
      judgement: { verdict: 'holds', evidence: { checked: 1, against: 0 } },
    },
  ]);
});

test('a workspace of a newer program, or no workspace at all, is refused', () => {
  open().pragma('user_version = 99');
  expect(open).toThrow(WorkspaceError);
  expect(() => openWorkspace(folder)).toThrow(/cannot be opened/);
});
