import type { JobState, LoadResult, RecipeState } from '@crease/contract';
import { previewFile } from '@crease/core/reading';
import type { Table } from '@crease/core/model';
import type { Arrival } from './arrival.ts';
import { afterLoad, afterTry, isReady, newArrival, saidOf, tableName, toldOf } from './arrival.ts';
import { arrivalsOf, arrivingColumns, byRecipe, goingInto } from './arrival.ts';
import { namingFault, orderOf, typedAsBefore, useOf } from './arrival.ts';

const preview = previewFile(
  new TextEncoder().encode(
    'Branch Code;visitors;opened on\nA1;12;01.02.2026\nB2;7;03.02.2026\nA1;7;04.02.2026\n',
  ),
  true,
);
const arrival = (change: Partial<Arrival> = {}): Arrival => ({
  key: 'k',
  file: { name: 'visit.csv', size: 1 },
  name: 'visit',
  state: 'ready',
  progress: 1,
  cancel: new AbortController(),
  upload: { id: 'u', name: 'visit.csv', bytes: 1 },
  preview,
  columns: arrivingColumns(preview, [], undefined),
  misfits: 'null',
  broken: 'store',
  unknown: 'list',
  mode: 'replace',
  ...change,
});

test('columns of a newer file are matched by name, then by likeness, and what is only alike says so', () => {
  const table: Table = {
    name: 'visit',
    role: 'fact',
    columns: [
      { name: 'branch', type: 'text', sourceName: 'branch_code' },
      { name: 'people', type: 'integer', sourceName: 'visitors' },
      { name: 'many', type: 'boolean', formula: 'people > 9' },
      { name: 'noted', type: 'text' },
    ],
  };
  const found = arrivingColumns(preview, [], table);
  expect(found.map((c) => [c.fileName, c.name, c.alike ?? false])).toEqual([
    ['Branch Code', 'branch', true],
    ['visitors', 'people', false],
    ['opened on', 'opened on', false],
  ]);
  // Those that the model has keep its types, whatever the newer file looks like.
  expect(typedAsBefore(table, preview).map((c) => [c.type, c.known])).toEqual([
    ['text', true],
    ['integer', true],
    ['date', false],
  ]);
});

test('a name that somebody gave is kept over a new preview, and names that clash are told', () => {
  const [first, ...rest] = arrivingColumns(preview, [], undefined);
  const named = { ...first!, name: 'visitors', named: true };
  const again = arrivingColumns(preview, [named, ...rest], undefined);
  expect(again.map((c) => c.name)).toEqual(['visitors', 'visitors', 'opened on']);
  expect(namingFault(again)).toBe('two included columns are named visitors');
  expect(namingFault(again.map((c, i) => ({ ...c, taken: i > 0 })))).toBeUndefined();
  expect(namingFault([{ ...first!, name: ' ' }])).toBe('an included column has no name');
});

test('a recipe says all of a load but the file', () => {
  const recipe: RecipeState = {
    name: 'weekly',
    table: 'visit_fact',
    dialect: { delimiter: ';', quote: '"', header: true, encoding: 'utf-8', newline: '\n' },
    nulls: ['', 'n/a'],
    columns: [
      { name: 'people', fileName: 'visitors', type: 'decimal(9,2)', decimalComma: true },
      { name: 'day', fileName: 'opened on', type: 'date', pattern: 'dd.MM.yyyy' },
    ],
    misfits: 'leave out',
    broken: 'stop',
    unknown: 'add',
    mode: 'update',
  };
  const made = byRecipe(arrival(), recipe);
  expect(made).toMatchObject({
    name: 'visit_fact',
    recipe: 'weekly',
    mode: 'update',
    misfits: 'leave out',
    broken: 'stop',
    unknown: 'add',
    nulls: ['', 'n/a'],
  });
  expect(made.columns.map((c) => [c.fileName, c.name, c.taken])).toEqual([
    ['Branch Code', 'Branch Code', false],
    ['visitors', 'people', true],
    ['opened on', 'day', true],
  ]);
  const order = orderOf(made);
  expect(order.columns.map((c) => [c.name, c.fileName, c.type, c.pattern, c.decimalComma])).toEqual([
    ['people', 'visitors', 'decimal(9,2)', undefined, true],
    ['day', 'opened on', 'date', 'dd.MM.yyyy', undefined],
  ]);
});

test('an order carries the use that is proposed, or that somebody said; a part belongs to rows that are replaced only', () => {
  const a = arrival({ part: 'May' });
  expect(orderOf(a).columns.map((c) => [c.use, c.aggregate])).toEqual([
    ['reference', undefined],
    ['quantity', 'sum'],
    ['attribute', undefined],
  ]);
  expect([orderOf(a).part, orderOf({ ...a, mode: 'add' }).part]).toEqual(['May', undefined]);
  const said = { ...a.columns[1]!, use: 'attribute' as const };
  expect(useOf(said, preview.columns[1]!, preview.rows)).toEqual({ use: 'attribute', reason: 'as you say' });
});

describe('what becomes of arrivals', () => {
  const job = (change: Partial<JobState>): JobState => ({
    id: 'j',
    says: 'load visit',
    state: 'done',
    progress: 1,
    detail: '3 rows stored',
    faults: [],
    ...change,
  });
  const [one, other] = [arrival({ key: 'one' }), arrival({ key: 'other' })];

  test('what is stored is gone, the others stay', () => {
    expect(afterLoad([one, other], [one], job({}))).toEqual([other]);
    expect(toldOf(job({}))).toEqual({ tone: 'plain', text: 'Imported: 3 rows stored', job: 'j' });
  });
  test('what failed is there again with its fault, what was cancelled without one', () => {
    const storing = { ...one, state: 'storing' as const };
    const failed = job({ state: 'failed', faults: ['line 3: too long', 'line 9: too long'] });
    expect(afterLoad([storing, other], [one], failed)).toEqual([
      { ...one, fault: 'line 3: too long line 9: too long' },
      other,
    ]);
    expect(toldOf(failed).tone).toBe('wrong');
    const cancelled = job({ state: 'cancelled' });
    expect(afterLoad([storing], [one], cancelled)).toEqual([one]);
    expect(toldOf(cancelled).text).toBe('Cancelled: nothing was stored');
  });
  test('a dry run leaves what it told, and its faults', () => {
    const told = { table: 'visit' } as unknown as LoadResult;
    expect(afterTry({ ...one, state: 'storing' }, job({ loads: [told] }))).toEqual({ ...one, tried: told });
    expect(afterTry(one, job({ state: 'failed', faults: ['no'] })).fault).toBe('no');
  });
  test('it is ready once it is looked at, something of it is taken, and no name stands twice', () => {
    expect(isReady(one)).toBe(true);
    expect(isReady(newArrival({ name: 'visit.csv', size: 3 }, tableName('visit.csv.gz')))).toBe(false);
    expect(isReady({ ...one, columns: one.columns.map((c) => ({ ...c, taken: false })) })).toBe(false);
    expect(isReady({ ...one, columns: one.columns.map((c) => ({ ...c, name: 'same' })) })).toBe(false);
    expect(saidOf({ ...one, nulls: ['-'] })).toEqual({ nulls: ['-'] });
    expect(saidOf(one)).toEqual({});
  });
});

describe('tables of a database that have come', () => {
  const come = (table: string, schema?: string) => ({
    id: `${schema}.${table}`,
    name: table,
    bytes: 10,
    origin: { connection: 'warehouse', table, rows: null, ...(schema ? { schema } : {}) },
  });
  const held: Table = {
    name: 'visits',
    role: 'fact',
    columns: [],
    source: { connection: 'warehouse', schema: 'mart', table: 'visit' },
    partition: { by: 'day', every: 'year' },
  };

  test('keep the name that the model has for them, and say their schema where a name is taken', () => {
    const found = arrivalsOf(
      [come('visit', 'mart'), come('branch', 'mart'), come('Branch', 'old'), come('visits')],
      [held],
      [],
      undefined,
    );
    expect(found.map((a) => [a.name, a.file.name])).toEqual([
      ['visits', 'warehouse: mart.visit'],
      ['branch', 'warehouse: mart.branch'],
      ['old_Branch', 'warehouse: old.Branch'],
      // A database without schemas has none to say: the server says that the name is taken.
      ['visits', 'warehouse: visits'],
    ]);
    expect(found[0]).toMatchObject({ mode: 'parts', progress: 1, upload: { id: 'mart.visit' } });
  });

  test('are read as a recipe says', () => {
    const recipe = {
      name: 'daily',
      table: 'visits',
      mode: 'add',
      misfits: 'stop',
      dialect: {},
      columns: [],
    } as unknown as RecipeState;
    expect(arrivalsOf([come('visit', 'mart')], [held], [], recipe)).toMatchObject([
      { name: 'visits', mode: 'add', misfits: 'stop' },
    ]);
  });
});

test('rows that go elsewhere are read as the table there is, and what was tried is tried anew', () => {
  const there: Table = {
    name: 'Branch',
    role: 'dimension',
    columns: [],
    source: { file: 'branch.csv', delimiter: ';', nulls: ['-'] },
  };
  const before = arrival({ mode: 'add', part: '2026', tried: { table: 'visit' } as never });
  expect(goingInto(before, 'branch', [there])).toMatchObject({
    name: 'branch',
    mode: 'replace',
    part: undefined,
    tried: undefined,
    dialect: { delimiter: ';' },
    nulls: ['-'],
  });
  expect(goingInto(before, undefined, [{ ...there, name: 'visit' }]).name).toBe('visit_2');
});
