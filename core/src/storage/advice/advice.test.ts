import type { TableData } from '../../columns/index.ts';
import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import { applyEdit } from '../../edit/index.ts';
import type { Model, ModelColumn } from '../../model/index.ts';
import { ModelData } from '../../query/index.ts';
import { retyped } from '../../shape/index.ts';
import { tableLoader } from '../../sources/index.ts';
import type { Value } from '../../values/index.ts';
import { parseType } from '../../values/index.ts';
import type { Advice, Fold } from '../index.ts';
import { adviceOn, inOrder, editOfFold, measureFolds } from '../index.ts';

const ROWS = 6000;
const MEMBERS = 300;
const hash = (i: number, n: number) => (Math.imul(i + 1, 0x9e3779b1) >>> 0) % n;
const code = (k: number) => `member-${String(hash(k, 1e6)).padStart(6, '0')}-${k}`;
const two = (n: number) => String(n).padStart(2, '0');

const columns: Record<string, ModelColumn & { of: (i: number) => Value }> = {};
const column = (name: string, type: string, of: (i: number) => Value, more: Partial<ModelColumn> = {}) =>
  (columns[name] = { name, type, of, ...more });
column('no', 'integer', (i) => i);
column('member', 'text', (i) => code(hash(i, MEMBERS)));
column(
  'at',
  'text',
  (i) => `2025-${two(1 + (i % 12))}-${two(1 + (i % 28))} 09:${two(i % 60)}:${two(hash(i, 60))}`,
);
column('lot', 'text', (i) => `L${hash(i, 90)}-${hash(i * 3, 80)}`);
column('weight', 'double', (i) => hash(i, 4000) / 100);
column('copies', 'integer', (i) => 1 + hash(i, 9), { use: 'quantity' });
column('price', 'decimal(10,2)', (i) => 100 + hash(i * 7, 900), { use: 'quantity' });
column('amount', 'decimal(10,2)', (i) => (1 + hash(i, 9)) * (100 + hash(i * 7, 900)), { use: 'quantity' });
column('class', 'text', (i) => `class ${hash(i, MEMBERS) % 11}`);
column('due', 'date', (i) => (i % 30 === 0 ? null : 20_000 + hash(i, 300)));
column('until', 'date', (i) => (i % 30 === 0 ? null : 20_021 + hash(i, 300)));
column('note', 'text', (i) => `said ${hash(i, 1e9)}`);
column('seen', 'date', (i) => (i % 40 === 0 ? null : 18_000 + hash(i * 11, 1500)));

const stored = Object.values(columns);
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'sale',
      role: 'fact',
      key: ['no'],
      source: { file: 'sale.csv' },
      columns: [
        ...stored.map(({ of: _, ...c }) => c),
        { name: 'dear', type: 'boolean', formula: 'amount > 40' },
      ],
    },
    {
      name: 'member',
      role: 'dimension',
      key: ['code'],
      source: { file: 'member.csv' },
      columns: [
        { name: 'code', type: 'text' },
        { name: 'town', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'sale_member',
      from: { table: 'sale', columns: ['member'] },
      to: { table: 'member', columns: ['code'] },
    },
  ],
  measures: [
    { name: 'Amount', formula: 'sum(sale.amount)' },
    { name: 'Dear', formula: 'count(sale) where sale.dear' },
  ],
};

const rowsOf = new Map<string, TableData>([
  [
    'sale.csv',
    tableOf(
      'sale',
      stored.map((c) =>
        columnOfValues(
          c.name,
          parseType(c.type)!,
          Array.from({ length: ROWS }, (_, i) => c.of(i)),
        ),
      ),
    ),
  ],
  [
    'member.csv',
    tableOf('member', [
      columnOfValues(
        'code',
        parseType('text')!,
        Array.from({ length: MEMBERS }, (_, k) => code(k)),
      ),
      columnOfValues(
        'town',
        parseType('text')!,
        Array.from({ length: MEMBERS }, (_, k) => `town ${k % 20}`),
      ),
    ]),
  ],
]);

const dataOf = (of: Model) =>
  new ModelData(
    of,
    tableLoader(of, 0, (t) => retyped(rowsOf.get((t.source as { file: string }).file)!, t.columns)),
    0,
  );
const data = dataOf(model);
const advice = adviceOn(data);
const found = (does: Fold['do'], name: string, says = ''): Advice => {
  const one = advice.find((a) => a.fold.do === does && a.column === name && a.change.includes(says));
  if (!one)
    throw new Error(`no ${does} for ${name}: ${advice.map((a) => `${a.column} ${a.change}`).join('; ')}`);
  return one;
};

test('shares of the columns are together the whole, and none has all the heavy ones', () => {
  for (const threads of [2, 3]) {
    const shares = Array.from({ length: threads }, (_, number) => adviceOn(data, { number, of: threads }));
    expect(inOrder(shares.flat())).toEqual(advice);
    for (const share of shares) expect(share.length).toBeGreaterThan(0);
  }
});

test('each way of making the model lighter is found where it is planted', () => {
  expect(found('leave-out', 'sale.note').afterBytes).toBe(0);
  expect(found('split-moment', 'sale.at', 'split').change).toBe(
    'declare it as a timestamp written yyyy-MM-dd HH:mm:ss, and split date and time',
  );
  expect(found('split-text', 'sale.lot').fold).toMatchObject({ separator: '-' });
  expect(found('fewer-decimals', 'sale.weight')).toMatchObject({ change: 'hold it with 2 decimals' });
  expect(found('derive', 'sale.amount').fold).toMatchObject({
    formula: 'cast(copies * price as decimal(10,2))',
  });
  expect(found('derive', 'sale.until').fold).toMatchObject({ formula: 'date_add(due, 21, day)' });
  expect(found('whole-number-key', 'member.code').reason).toContain('sale');
  expect(found('move', 'sale.class').change).toBe('move it to member');
  // What nothing uses comes first.
  expect(advice[0]!.fold.do).toBe('leave-out');
});

test('a day that nothing goes by may be held more coarsely, each unit with its bytes; one that is used may not', () => {
  const seen = advice.filter((a) => a.fold.do === 'coarsen' && a.column === 'sale.seen');
  expect(seen.map((a) => [a.column, a.change])).toEqual([
    ['sale.seen', 'keep the year only, as its first day'],
    ['sale.seen', 'keep the quarter only, as its first day'],
    ['sale.seen', 'keep the month only, as its first day'],
  ]);
  const used = dataOf({
    ...model,
    measures: [{ name: 'First', formula: 'min(sale.seen)' }],
  });
  expect(adviceOn(used).filter((a) => a.fold.do === 'coarsen' && a.column === 'sale.seen')).toEqual([]);
});

test('a column by formula that is used may be stored: it costs what is said, comes last, and counts the same', () => {
  const last = advice.at(-1)!;
  expect(last).toMatchObject({ column: 'sale.dear', beforeBytes: 0, fold: { do: 'store' } });
  const { beforeBytes, afterBytes } = measureFolds(data, [last.fold]);
  expect(afterBytes - beforeBytes).toBe(last.afterBytes);
  const made = dataOf(applyEdit(model, editOfFold(model, last.fold)!));
  const trues = (of: ModelData) => {
    const dear = of.column('sale', 'dear');
    return Array.from(dear.codes).filter((code) => columnValues(dear)[code] === true).length;
  };
  expect(trues(made)).toBe(trues(data));
  expect(trues(data)).toBeGreaterThan(0);
  // A formula that looks beyond its row is left as it is.
  const beyond = dataOf({
    ...model,
    tables: model.tables.map((t) =>
      t.name === 'sale'
        ? { ...t, columns: [...t.columns, { name: 'town', type: 'text', formula: 'member.town' }] }
        : t,
    ),
    measures: [{ name: 'Aller', formula: "count(sale) where sale.town = 'town 1'" }],
  });
  expect(adviceOn(beyond).filter((a) => a.fold.do === 'store')).toEqual([]);
});

test('what a fold is said to save is what is saved when it is made', () => {
  for (const does of [
    'leave-out',
    'split-moment',
    'split-text',
    'fewer-decimals',
    'derive',
    'coarsen',
  ] as const)
    for (const a of advice.filter((x) => x.fold.do === does)) {
      const { before, after } = measureFolds(data, [a.fold]);
      const columnBytes = (tables: typeof before) =>
        tables.find((t) => t.name === 'sale')!.columns.reduce((n, c) => n + c.totalBytes, 0);
      expect([a.change, columnBytes(before) - columnBytes(after)]).toEqual([
        a.change,
        a.beforeBytes - a.afterBytes,
      ]);
    }
  const key = found('whole-number-key', 'member.code');
  const measured = measureFolds(data, [key.fold]);
  expect(measured.after.map((t) => t.name)).toEqual(['sale', 'member']);
  const sum = (tables: typeof measured.before) =>
    tables.flatMap((t) => t.columns).reduce((n, c) => n + c.totalBytes, 0);
  expect(sum(measured.before) - sum(measured.after)).toBe(key.beforeBytes - key.afterBytes);
});

test('a fold changes no number: amounts, members and their partners stay', () => {
  const towns = (of: ModelData) => {
    const index = of.lookupIndex('sale', 'member')!;
    const [town, amount] = [of.column('member', 'town'), of.column('sale', 'amount')];
    const sums = new Map<Value, number>();
    for (let row = 0; row < ROWS; row++) {
      const name = columnValues(town)[town.codes[index[row]! - 1]!]!;
      sums.set(name, (sums.get(name) ?? 0) + Number(columnValues(amount)[amount.codes[row]!]));
    }
    return Object.fromEntries([...sums].sort());
  };
  const expected = towns(data);
  for (const a of advice) {
    const edit = editOfFold(model, a.fold)!;
    const after = dataOf(applyEdit(model, edit));
    expect([a.change, towns(after)]).toEqual([a.change, expected]);
    for (const t of after.model.tables) for (const c of t.columns) after.column(t.name, c.name);
  }
});

test('moved to the dimension, each row still finds its value', () => {
  const after = dataOf(applyEdit(model, editOfFold(model, found('move', 'sale.class').fold)!));
  expect(after.model.tables.find((t) => t.name === 'sale')!.columns.map((c) => c.name)).not.toContain(
    'class',
  );
  const moved = after.column('member', 'class');
  const index = after.lookupIndex('sale', 'member')!;
  for (let row = 0; row < ROWS; row++)
    expect(columnValues(moved)[moved.codes[index[row]! - 1]!]).toBe(columns['class']!.of(row));
});

test('several folds are measured together, and what cannot be made any more is said', () => {
  const folds = [
    found('leave-out', 'sale.note').fold,
    found('fewer-decimals', 'sale.weight').fold,
    found('split-moment', 'sale.at', 'split').fold,
  ];
  const { beforeBytes, afterBytes, after } = measureFolds(data, folds);
  const [sale] = after;
  expect(sale!.columns.map((c) => c.name)).toContain('at_second');
  expect(sale!.columns.map((c) => c.name)).not.toContain('note');
  expect(beforeBytes - afterBytes).toBeGreaterThan(found('leave-out', 'sale.note').beforeBytes);
  expect(() => measureFolds(data, [folds[0]!, folds[0]!])).toThrow(/sale.note is not there any more/);
});
