import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import { applyEdit } from '../edit/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { Model, Table } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { INTEGER, parseType, TEXT } from '../values/index.ts';
import type { Proposal, ReferencePattern } from './index.ts';
import { acceptAll, makeMeasures, offeredMeasures, proposeStar } from './index.ts';

type Columns = Readonly<Record<string, readonly [type: string, values: readonly Value[]]>>;

/** What is proposed for tables of which nothing but rows and types is known. */
function draft(tables: Readonly<Record<string, Columns>>, rest: Partial<Model> = {}) {
  const rows = new Map<string, TableData>();
  const bare = Object.entries(tables).map(([name, columns]): Table => {
    rows.set(
      name,
      tableOf(
        name,
        Object.entries(columns).map(([column, [type, values]]) =>
          columnOfValues(column, parseType(type)!, [...values]),
        ),
      ),
    );
    return {
      name,
      role: 'staging',
      columns: Object.entries(columns).map(([column, [type]]) => ({ name: column, type })),
    };
  });
  const model: Model = { crease: 1, name: 'm', tables: bare, ...rest };
  const proposals = proposeStar(new ModelData(model, (name) => rows.get(name)!, 0));
  return {
    proposals,
    of: (id: string): Proposal | undefined => proposals.find((p) => p.id === id),
    model: acceptAll(model, proposals),
  };
}

const from0 = (n: number) => Array.from({ length: n }, (_, i) => i);
const code = (i: number) => `B${String(i).padStart(3, '0')}`;
const branch: Columns = {
  branch_code: ['text', from0(10).map(code)],
  name: ['text', from0(10).map((i) => `Branch ${i}`)],
};
const loan: Columns = {
  loan_no: ['integer', from0(100).map((i) => i + 1)],
  branch_code: ['text', from0(100).map((i) => code(i % 10))],
  fine: ['decimal(9,2)', from0(100).map((i) => BigInt((i % 7) * 25))],
  copies: ['integer', from0(100).map((i) => 1 + (i % 3))],
};

test('a small star is drafted whole from its rows', () => {
  const { model } = draft({ branch, loan });
  expect(model.tables.map((t) => [t.name, t.role, t.key])).toEqual([
    ['branch', 'dimension', ['branch_code']],
    ['loan', 'fact', ['loan_no']],
  ]);
  expect(model.relationships).toMatchObject([
    { from: { table: 'loan', columns: ['branch_code'] }, to: { table: 'branch', columns: ['branch_code'] } },
  ]);
  expect(Object.fromEntries(model.tables[1]!.columns.map((c) => [c.name, c.use]))).toEqual({
    loan_no: 'key',
    branch_code: 'reference',
    fine: 'quantity',
    copies: 'quantity',
  });
  expect((model.measures ?? []).length).toBeGreaterThan(0);
});

test('what has been accepted is not proposed again', () => {
  const first = draft({ branch, loan });
  expect(draft({ branch, loan }, first.model).proposals).toEqual([]);
});

test('orphans do not hide a relationship: they are counted in its evidence', () => {
  const orphaned: Columns = {
    ...loan,
    branch_code: ['text', from0(100).map((i) => (i < 5 ? 'B777' : i < 9 ? null : code(i % 10)))],
  };
  expect(draft({ branch, loan: orphaned }).of('relationship:loan.branch_code')!.evidence).toEqual(
    expect.arrayContaining(['94.7 % of 96 filled rows find a partner; 5 do not', '4 rows are null']),
  );
});

test('whole numbers inside the range of a key by chance are no reference', () => {
  const terminal: Columns = {
    terminal_id: ['integer', from0(10)],
    label: ['text', from0(10).map((i) => `Terminal ${i}`)],
  };
  expect(draft({ terminal, loan }).of('relationship:loan.copies')).toBeUndefined();
});

test('a second reference to the same table does not filter by default, and says why', () => {
  const returned: Columns = {
    ...loan,
    return_branch_code: ['text', from0(100).map((i) => code((i * 3) % 10))],
  };
  const { model, of } = draft({ branch, loan: returned });
  expect((model.relationships ?? []).map((r) => [r.from.columns[0], r.default ?? true])).toEqual([
    ['branch_code', true],
    ['return_branch_code', false],
  ]);
  expect(of('relationship:loan.return_branch_code')!.evidence).toContain(
    'not by default: there is already a path to branch',
  );
});

test('a second way that is there already is no reason against another reference', () => {
  const relate = (name: string, column: string) => ({
    name,
    from: { table: 'loan', columns: [column] },
    to: { table: 'day', columns: ['day'] },
  });
  const day: Columns = {
    day: ['date', from0(60).map((i) => 20000 + i)],
    month_name: ['text', from0(60).map((i) => `Month ${i >> 5}`)],
  };
  const dated: Columns = {
    ...loan,
    lent: ['date', from0(100).map((i) => 20000 + (i % 60))],
    back: ['date', from0(100).map((i) => 20000 + (i % 59))],
  };
  const { of, model } = draft(
    { day, branch, loan: dated },
    { relationships: [relate('a', 'lent'), relate('b', 'back')] },
  );
  expect(of('relationship:loan.branch_code')!.evidence.join()).not.toContain('not by default');
  // Two names for sixty days are no labels of them.
  expect(model.tables.map((t) => t.label)).toEqual([undefined, 'name', undefined]);
});

test('what somebody has said that a table is, is left alone', () => {
  const rows = new Map([
    [
      'note',
      tableOf('note', [
        columnOfValues('note_no', INTEGER, from0(9)),
        columnOfValues('text', TEXT, from0(9).map(String)),
      ]),
    ],
  ]);
  const columns = [
    { name: 'note_no', type: 'integer' },
    { name: 'text', type: 'text' },
  ];
  const roleOf = (role: Table['role']) =>
    proposeStar(
      new ModelData(
        { crease: 1, name: 'm', tables: [{ name: 'note', role, columns }] },
        (name) => rows.get(name)!,
        0,
      ),
    ).find((p) => p.kind === 'role');
  expect(roleOf('staging')!.says).toBe('note is a dimension table');
  expect(roleOf('bridge')).toBeUndefined();
});

test('a key of two columns is found, and a near key is proposed with its exceptions', () => {
  const line: Columns = {
    receipt: ['text', from0(60).map((i) => `R${Math.floor(i / 3)}`)],
    line: ['integer', from0(60).map((i) => i % 3)],
  };
  expect(draft({ line }).model.tables[0]!.key).toEqual(['receipt', 'line']);
  const card: Columns = {
    card_no: ['integer', from0(1000).map((i) => (i === 999 ? 1 : i))],
    holder: ['text', from0(1000).map((i) => `h${i % 50}`)],
  };
  expect(draft({ card }).of('key:card')!.evidence).toContain('unique except 1 of 1,000 rows');
});

test('a reference of two columns is found by their names and its rows; a part of it that leads the same way on is not default', () => {
  const district: Columns = {
    district_no: ['integer', from0(3)],
    name: ['text', from0(3).map((i) => `District ${i}`)],
  };
  const town: Columns = {
    district_no: ['integer', from0(12).map((i) => Math.floor(i / 4))],
    town_no: ['integer', from0(12).map((i) => i % 4)],
    name: ['text', from0(12).map((i) => `Town ${i}`)],
  };
  const visit: Columns = {
    visit_no: ['integer', from0(80).map((i) => i + 1000)],
    district_no: ['integer', from0(80).map((i) => (i === 7 ? null : i % 3))],
    town_no: ['integer', from0(80).map((i) => (i < 5 ? 9 : i % 4))],
  };
  const { model, of } = draft({ district, town, visit });
  expect(of('relationship:visit.district_no, town_no')).toMatchObject({
    says: 'visit.(district_no, town_no) refers to town.(district_no, town_no)',
    evidence: [
      '93.6 % of 79 filled rows find a partner; 5 do not',
      '1 row is null',
      'the names are the same',
      '15 distinct values against 12',
    ],
  });
  expect(
    (model.relationships ?? []).map((r) => [
      r.from.table,
      r.from.columns.join(),
      r.to.table,
      r.default ?? true,
    ]),
  ).toEqual([
    ['visit', 'district_no,town_no', 'town', true],
    ['visit', 'district_no', 'district', false],
    ['town', 'district_no', 'district', true],
  ]);
  expect(draft({ district, town, visit }, model).proposals).toEqual([]);
});

test('codes with leading zeros are numbers where another table writes them plainly, and only there', () => {
  const choir: Columns = {
    choir_id: ['text', from0(12).map((i) => String(101 + i).padStart(6, '0'))],
    name: ['text', from0(12).map((i) => `Choir ${i}`)],
  };
  const sung: Columns = {
    sheet_no: ['integer', from0(60).map((i) => 5000 + i)],
    choir_id: ['integer', from0(60).map((i) => 101 + (i % 12))],
    singers: ['integer', from0(60).map((i) => 10 + (i % 9))],
  };
  const { model, of } = draft({ choir, sung });
  expect(of('type:choir.choir_id')).toMatchObject({
    evidence: [
      'digits with leading zeros',
      'sung.choir_id writes the same codes without them: 100 % of its values are among these',
    ],
  });
  expect(model.relationships).toMatchObject([
    { from: { table: 'sung', columns: ['choir_id'] }, to: { table: 'choir' } },
  ]);
  expect(draft({ choir }).of('type:choir.choir_id')).toBeUndefined();
  const other = { ...sung, choir_id: ['integer', from0(60).map((i) => 900 + i)] as const };
  expect(draft({ choir, sung: other }).of('type:choir.choir_id')).toBeUndefined();
});

test('of two tables with one key the one that is called like it refers to the other, and facts refer to the one', () => {
  const bell: Columns = {
    bell_code: ['text', from0(10).map(code)],
    name: ['text', from0(10).map((i) => `Bell ${i}`)],
  };
  const bell_inscription: Columns = {
    bell_code: ['text', from0(10).map(code)],
    words: ['text', from0(10).map((i) => `Words ${i}`)],
  };
  const ringing: Columns = {
    ringing_no: ['integer', from0(40)],
    bell_code: ['text', from0(40).map((i) => code(i % 10))],
    minutes: ['integer', from0(40).map((i) => i % 7)],
  };
  const { model } = draft({ bell_inscription, bell, ringing });
  expect((model.relationships ?? []).map((r) => [r.from.table, r.to.table, r.cardinality])).toEqual([
    ['ringing', 'bell', 'many-to-one'],
    ['bell', 'bell_inscription', 'one-to-one'],
  ]);
  // A length of time is an amount, the minute of a day would not be.
  expect(model.tables[2]!.columns[2]!.use).toBe('quantity');
});

test('a few grants by day and district are a fact; a label or an amount that is unique by accident is no key', () => {
  const day: Columns = {
    day: ['date', from0(60).map((i) => 20000 + i)],
    month: ['integer', from0(60).map((i) => 1 + Math.floor(i / 30))],
  };
  const grant: Columns = {
    granted_on: ['date', from0(16).map((i) => 20000 + 15 * Math.floor(i / 4))],
    district: ['text', from0(16).map((i) => `District ${i % 4}`)],
    paces: ['integer', from0(16).map((i) => 10_000 + 37 * i)],
  };
  const { model } = draft({ day, grant });
  expect(model.tables.map((t) => [t.name, t.role, t.key])).toEqual([
    ['day', 'dimension', ['day']],
    ['grant', 'fact', ['granted_on', 'district']],
  ]);
  const lot: Columns = {
    yard_code: ['text', from0(9).map((i) => `Y${Math.floor(i / 3)}`)],
    lot_no: ['integer', from0(9).map((i) => i % 3)],
    lot_name: ['text', from0(9).map((i) => `Lot ${i}`)],
  };
  expect(draft({ lot }).model.tables[0]!.key).toEqual(['yard_code', 'lot_no']);
});

test('a calendar is told by its days, also where its key is a number', () => {
  const days = from0(60).map((i) => 20000 + i);
  const numbered: Columns = {
    date_no: ['integer', from0(60).map((i) => 900_001 + i)],
    day: ['date', days],
    month_first: ['date', days.map((d) => d - (d % 30))],
  };
  expect(draft({ numbered }).model.calendars).toEqual([{ table: 'numbered', day: 'day' }]);
  const visit: Columns = {
    visit_no: ['integer', from0(80)],
    date_no: ['integer', from0(80).map((i) => 900_001 + (i % 60))],
    visitors: ['integer', from0(80).map((i) => i % 9)],
  };
  expect(draft({ numbered, visit }).model.calendars).toEqual([{ table: 'numbered', day: 'day' }]);
  const sparse = { ...numbered, day: ['date', days.map((d) => d * 3)] as const };
  expect(draft({ numbered: sparse, visit }).model.calendars ?? []).toEqual([]);
});

test('of a calendar that follows another model nothing is proposed but what leads to it', () => {
  const day: Columns = {
    day: ['date', from0(60).map((i) => 20000 + i)],
    note: ['text', from0(60).map((i) => `Note ${i}`)],
  };
  const visit: Columns = {
    visit_no: ['integer', from0(80)],
    day: ['date', from0(80).map((i) => 20000 + (i % 60))],
  };
  const rows = new Map<string, TableData>();
  const tables = Object.entries({ day, visit }).map(([name, columns]): Table => {
    const made = Object.entries(columns).map(([column, [type, values]]) =>
      columnOfValues(column, parseType(type)!, [...values]),
    );
    rows.set(name, tableOf(name, made));
    return {
      name,
      role: 'staging',
      columns: Object.entries(columns).map(([column, [type]]) => ({ name: column, type })),
      ...(name === 'day' ? { key: ['day'] } : {}),
    };
  });
  const calendars = [{ table: 'day', day: 'day', follows: { model: 'other', table: 'day' } }];
  const found = proposeStar(
    new ModelData({ crease: 1, name: 'm', tables, calendars }, (name) => rows.get(name)!, 0),
  );
  expect(found.filter((p) => p.table === 'day')).toEqual([]);
  expect(found.map((p) => p.id)).toContain('relationship:visit.day');
  expect(() => acceptAll({ crease: 1, name: 'm', tables, calendars }, found)).not.toThrow();
});

test('columns without names of their own are related by their values alone, and whole numbers only far from 0', () => {
  const place: Columns = {
    column_1: ['text', from0(10).map((i) => `Kx${i}Q`)],
    column_2: ['text', from0(10).map((i) => `Place ${i}`)],
  };
  const kind: Columns = {
    column_1: ['integer', from0(10).map((i) => 5001 + i)],
    column_2: ['text', from0(10).map((i) => `Kind ${i}`)],
  };
  const work: Columns = {
    column_1: ['integer', from0(50).map((i) => i + 1)],
    column_2: ['text', from0(50).map((i) => `Kx${i % 10}Q`)],
    column_3: ['integer', from0(50).map((i) => 5001 + (i % 10))],
    column_4: ['integer', from0(50).map((i) => 1 + (i % 10))],
  };
  const { model } = draft({ place, kind, work });
  expect((model.relationships ?? []).map((r) => [r.from.columns[0], r.to.table])).toEqual([
    ['column_2', 'place'],
    ['column_3', 'kind'],
  ]);
});

test('tables that count their own rows, and facts of the same dimensions, do not refer to each other', () => {
  const lines = (rows: number): Columns => ({
    sheet_no: ['integer', from0(rows).map((i) => Math.floor(i / 3))],
    line_no: ['integer', from0(rows).map((i) => i % 3)],
    amount: ['decimal(9,2)', from0(rows).map((i) => BigInt(i))],
  });
  expect(draft({ payment: lines(60), receipt: lines(90) }).model.relationships ?? []).toEqual([]);
  const counted: Columns = {
    branch_code: ['text', from0(40).map((i) => code(i % 10))],
    month_no: ['integer', from0(40).map((i) => Math.floor(i / 10))],
    copies: ['integer', from0(40)],
  };
  const month: Columns = {
    month_no: ['integer', from0(4)],
    name: ['text', from0(4).map((i) => `Month ${i}`)],
  };
  const { model } = draft({
    branch,
    month,
    counted,
    planned: { ...counted, copies: ['integer', from0(40).map((i) => i * 2)] },
  });
  expect((model.relationships ?? []).map((r) => r.to.table).sort()).toEqual([
    'branch',
    'branch',
    'month',
    'month',
  ]);
});

test('a column of the own key with a superior in its name is a hierarchy, not a relationship', () => {
  const staff: Columns = {
    staff_no: ['integer', from0(20).map((i) => i + 1)],
    manager_no: ['integer', from0(20).map((i) => (i === 0 ? null : 1 + Math.floor(i / 4)))],
    name: ['text', from0(20).map((i) => `Person ${i}`)],
  };
  const { model } = draft({ staff });
  expect(model.relationships ?? []).toEqual([]);
  expect(model.hierarchies).toMatchObject([{ table: 'staff', parent: 'manager_no' }]);
  expect(model.tables[0]!.role).toBe('dimension');
});

test('a parent of another name is told by its rows: some have none, all others lead to one, and none is above itself', () => {
  const staff = (parents: readonly (number | null)[]): Columns => ({
    staff_no: ['integer', from0(20).map((i) => i + 1)],
    warden_no: ['integer', parents],
    name: ['text', from0(20).map((i) => `Person ${i}`)],
  });
  const tree = from0(20).map((i) => (i === 0 ? null : 1 + Math.floor((i - 1) / 3)));
  expect(draft({ staff: staff(tree) }).model.hierarchies).toMatchObject([
    { table: 'staff', parent: 'warden_no' },
  ]);
  for (const parents of [
    tree.map((p) => p ?? 9),
    tree.map((p, i) => (i === 1 ? 5 : p)),
    tree.map((p, i) => (i === 19 ? 77 : p)),
  ])
    expect(draft({ staff: staff(parents) }).model.hierarchies ?? []).toEqual([]);
});

test('a table of two references and a share is a bridge with its weight', () => {
  const title: Columns = {
    title_id: ['integer', from0(30)],
    title: ['text', from0(30).map((i) => `T ${i}`)],
  };
  const author: Columns = {
    author_id: ['integer', from0(12)],
    name: ['text', from0(12).map((i) => `A ${i}`)],
  };
  const title_author: Columns = {
    title_id: ['integer', from0(60).map((i) => i % 30)],
    author_id: ['integer', from0(60).map((i) => (i % 30 < 15 ? i % 12 : (i + Math.floor(i / 30)) % 12))],
    share: ['decimal(4,3)', from0(60).map(() => 500n)],
  };
  const { of } = draft({ title, author, title_author });
  const evidence = of('role:title_author')?.evidence.join('; ');
  expect([of('role:title_author')?.says, evidence]).toEqual([
    'title_author is a bridge table',
    expect.stringMatching(/references to title and author; share lies between 0 and 1/),
  ]);
});

test('a house that names its references by a rule has it followed', () => {
  const rows = (names: string[]) => names.map((_, i) => i + 1);
  const data = (column: string) => {
    const model: Model = {
      crease: 1,
      name: 'rule',
      tables: [
        {
          name: 'visit',
          role: 'staging',
          columns: [
            { name: 'visit_no', type: 'integer' },
            { name: column, type: 'integer' },
          ],
        },
        {
          name: 'room',
          role: 'staging',
          key: ['id'],
          columns: [
            { name: 'id', type: 'integer' },
            { name: 'name', type: 'text' },
          ],
        },
      ],
    };
    const names = Array.from({ length: 12 }, (_, i) => `Room ${i}`);
    const tables = new Map([
      [
        'visit',
        tableOf('visit', [
          columnOfValues(
            'visit_no',
            INTEGER,
            Array.from({ length: 60 }, (_, i) => i + 100),
          ),
          columnOfValues(
            column,
            INTEGER,
            Array.from({ length: 60 }, (_, i) => (i % 12) + 1),
          ),
        ]),
      ],
      [
        'room',
        tableOf('room', [columnOfValues('id', INTEGER, rows(names)), columnOfValues('name', TEXT, names)]),
      ],
    ]);
    return new ModelData(model, (name) => tables.get(name)!, 0);
  };
  const found = (column: string, pattern: ReferencePattern) =>
    proposeStar(data(column), pattern)
      .filter((p) => p.kind === 'relationship')
      .map((p) => p.says);
  expect(found('room_id', 'table and key')).toHaveLength(1);
  expect(found('room_id', 'same name')).toEqual([]);
  expect(found('id', 'same name')).toHaveLength(1);
  expect(found('place', 'table and key')).toEqual([]);
  expect(found('place', 'values alone')).toHaveLength(1);
});

test('a fact that is added gets measures for its rows and quantities; names that are taken are named after the fact, raw columns hidden', () => {
  const quantity = (name: string, rest: object = {}) => ({
    name,
    type: 'integer',
    use: 'quantity' as const,
    ...rest,
  });
  const loan: Table = { name: 'loan', role: 'fact', columns: [quantity('fine')] };
  const hold: Table = {
    name: 'hold',
    role: 'fact',
    columns: [
      quantity('fine'),
      quantity('age', { aggregate: 'avg' }),
      quantity('no', { aggregate: 'none' }),
      quantity('card', { aggregate: 'distinct' }),
    ],
  };
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [loan, hold],
    measures: [{ name: 'Loan rows', formula: 'COUNT( loan )' }],
  };
  const named = (of: Model, fact: Table) =>
    offeredMeasures(of, fact).map((o) => [o.measure.name, o.measure.formula, o.clash]);
  // The count is there already, however it is written.
  expect(named(model, loan)).toEqual([['Total fine', 'sum(loan.fine)', undefined]]);
  const withFine = applyEdit(model, makeMeasures(offeredMeasures(model, loan)));
  expect(named(withFine, hold)).toEqual([
    ['Hold rows', 'count(hold)', undefined],
    ['Total fine of hold', 'sum(hold.fine)', 'Total fine'],
    ['Average age', 'avg(hold.age)', undefined],
    ['Distinct card', 'count(distinct hold.card)', undefined],
  ]);
  const after = applyEdit(withFine, makeMeasures(offeredMeasures(withFine, hold)));
  expect(after.tables.map((t) => t.columns.filter((c) => c.hidden).map((c) => c.name))).toEqual([
    ['fine'],
    ['fine', 'age', 'card'],
  ]);
  expect(offeredMeasures(after, hold)).toEqual([]);
  const checker = new FormulaChecker(after);
  expect(after.measures!.map((m) => checker.measure(m.name)!.faults)).toEqual(after.measures!.map(() => []));
});
