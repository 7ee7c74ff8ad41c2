import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { Model, Query } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import type { AnswerMember } from './index.ts';
import { answerQuery, explainQuery, ModelData, QueryError, traceCell } from './index.ts';

// Parts of a question beyond one grouping, each against a count over the rows by hand.

const REGIONS = ['East', 'East', 'West', 'West', 'West'];
const KINDS = ['book', 'film', 'map'];
/** One loan: a branch (the last ones have no partner, or none), a kind, a day, a fine in cents. */
const loans = Array.from({ length: 120 }, (_, i) => ({
  branch: i % 17 === 0 ? null : i % 19 === 0 ? 'B9' : `B${(i * 7) % 5}`,
  kind: KINDS[(i * 5 + (i >> 3)) % 3]!,
  lent: 20_000 + (i % 40),
  fine: (i * 37) % 100,
}));
const column = (name: string, type: string, values: readonly Value[]) =>
  columnOfValues(name, parseType(type)!, [...values]);
const rows = new Map<string, TableData>([
  [
    'loan',
    tableOf('loan', [
      column(
        'branch',
        'text',
        loans.map((l) => l.branch),
      ),
      column(
        'kind',
        'text',
        loans.map((l) => l.kind),
      ),
      column(
        'lent',
        'date',
        loans.map((l) => l.lent),
      ),
      column(
        'fine',
        'integer',
        loans.map((l) => l.fine),
      ),
    ]),
  ],
  [
    'branch',
    tableOf('branch', [
      column('code', 'text', ['B0', 'B1', 'B2', 'B3', 'B4']),
      column('name', 'text', ['Ash', 'Elm', 'Oak', 'Elm', 'Fir']),
      column('region', 'text', REGIONS),
    ]),
  ],
  [
    'day',
    tableOf('day', [
      column(
        'day',
        'date',
        Array.from({ length: 40 }, (_, i) => 20_000 + i),
      ),
    ]),
  ],
]);
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'branch', type: 'text', use: 'reference' },
        { name: 'kind', type: 'text' },
        { name: 'lent', type: 'date', use: 'reference' },
        { name: 'fine', type: 'integer', use: 'quantity', aggregate: 'avg' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      columns: ['code', 'name', 'region'].map((name) => ({ name, type: 'text' })),
    },
    { name: 'day', role: 'dimension', key: ['day'], columns: [{ name: 'day', type: 'date' }] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
    { name: 'loan_day', from: { table: 'loan', columns: ['lent'] }, to: { table: 'day', columns: ['day'] } },
  ],
  hierarchies: [
    {
      name: 'Places',
      table: 'branch',
      levels: [
        { name: 'Region', column: 'region' },
        { name: 'Branch', column: 'name', key: 'code' },
      ],
    },
  ],
  calendars: [{ table: 'day', day: 'day' }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Kinds', formula: 'count(distinct loan.kind)' },
    { name: 'Loans to date', formula: '"Loans" over (month to date)' },
  ],
};
const data = new ModelData(model, (name) => rows.get(name.toLowerCase())!, 20_039);
const ask = (query: Query) => answerQuery(data, query);
type Loan = (typeof loans)[number];
const regionOf = (l: Loan) => (l.branch === null || l.branch === 'B9' ? null : REGIONS[Number(l.branch[1])]!);
const nameOf = (l: Loan) =>
  regionOf(l) === null ? null : ['Ash', 'Elm', 'Oak', 'Elm', 'Fir'][Number(l.branch![1])]!;
const count = (keep: (l: Loan) => boolean) => loans.filter(keep).length;
const fines = (keep: (l: Loan) => boolean) => loans.filter(keep).reduce((n, l) => n + l.fine, 0);

test('across is laid out behind by, in long form', () => {
  const answer = ask({ by: ['branch.region'], across: ['loan.kind'], measures: ['Loans'] });
  expect(answer.columns.map((c) => [c.name, c.kind])).toEqual([
    ['branch.region', 'by'],
    ['loan.kind', 'across'],
    ['Loans', 'measure'],
  ]);
  for (const [region, kind, n] of answer.rows)
    expect(n).toBe(count((l) => regionOf(l) === region && l.kind === kind));
  expect(answer.rows.reduce((n, row) => n + Number(row[2]), 0)).toBe(loans.length);
});

test('subtotals are those of every pair of prefixes, each in its own context, of what is shown', () => {
  const { subtotals, rows: shown } = ask({
    by: ['branch.region', 'branch.name'],
    across: ['loan.kind'],
    measures: ['Loans', 'Kinds'],
    subtotals: true,
    limit: 2,
  });
  expect(subtotals!.map((s) => [s.by, s.across])).toEqual([
    [0, 1],
    [1, 0],
    [1, 1],
    [2, 0],
  ]);
  expect(new Set(shown.map((row) => JSON.stringify(row.slice(0, 2)))).size).toBe(2);
  const of = (by: number, across: number) => subtotals!.find((s) => s.by === by && s.across === across)!.rows;
  // Two branches of the East are shown: the region's subtotal is that of all of the East.
  const kindsOf = (keep: (l: Loan) => boolean) => new Set(loans.filter(keep).map((l) => l.kind)).size;
  const inEast = (l: Loan) => regionOf(l) === 'East';
  expect(of(1, 0)).toEqual([['East', count(inEast), kindsOf(inEast)]]);
  expect(of(0, 1)).toEqual(
    KINDS.filter((kind) => shown.some((row) => row[2] === kind)).map((kind) => [
      kind,
      count((l) => l.kind === kind),
      1,
    ]),
  );
  for (const [region, kind, n] of of(1, 1))
    expect(n).toBe(count((l) => regionOf(l) === region && l.kind === kind));
  expect(of(2, 0).map((row) => row.slice(0, 2))).toEqual([
    ['East', 'Ash'],
    ['East', 'Elm'],
  ]);
});

test('attributes and measures on the spot, and columns with an aggregate', () => {
  const answer = ask({
    by: [{ name: 'costly', formula: 'fine > 50', of: 'loan' }],
    measures: [
      { name: 'Half', formula: '"Fines" / 2' },
      { column: 'loan.fine' },
      { column: 'loan.fine', aggregate: 'max' },
      { column: 'loan.kind', aggregate: 'distinct' },
    ],
  });
  expect(answer.columns.map((c) => c.name)).toEqual([
    'costly',
    'Half',
    'avg loan.fine',
    'max loan.fine',
    'distinct loan.kind',
  ]);
  const costly = (l: Loan) => l.fine > 50;
  expect(answer.rows[1]!.slice(0, 2)).toEqual([true, expect.anything()]);
  expect(Number(answer.rows[1]![1])).toBeCloseTo(fines(costly) / 2);
  expect(Number(answer.rows[1]![2])).toBeCloseTo(fines(costly) / count(costly));
  expect(answer.rows[1]![3]).toBe(Math.max(...loans.map((l) => l.fine)));
  // What does not reach is named as it was asked.
  const { unreached } = ask({
    by: [{ name: 'long', formula: 'char_length(name) > 3', of: 'branch' }],
    measures: ['Loans'],
  });
  expect(unreached).toEqual([]);
  expect(data.checker.names.column('loan', 'costly')).toBeUndefined();
});

test.each<[string, Partial<Query>, string]>([
  [
    'a broken attribute',
    { by: [{ name: 'x', formula: 'fines > 1', of: 'loan' }] },
    'the attribute "x", line 1',
  ],
  ['a table that is not there', { by: [{ name: 'x', formula: '1', of: 'lone' }] }, 'no table "lone"'],
  [
    'a measure whose name is taken',
    { measures: [{ name: 'loans', formula: '1' }] },
    'a measure "loans" already',
  ],
  ['a broken measure', { measures: [{ name: 'X', formula: 'sum(loan.fin)' }] }, 'measure "X", line 1'],
  ['a column without aggregate', { measures: [{ column: 'loan.kind' }] }, 'no default aggregate'],
  ['a condition that is none', { filters: [{ having: '"Loans" + 1' }] }, 'not true or false'],
  ['a broken condition', { filters: [{ having: '"Lones" > 1' }] }, 'the condition "Lones" > 1'],
  ['top of nothing', { by: [], filters: [{ top: 1, of: 'Loans' }] }, 'has none'],
  [
    'top within another',
    { by: ['loan.kind'], filters: [{ top: 1, of: 'Loans', per: ['branch.region'] }] },
    'no item of "by"',
  ],
])('%s is refused with what and where', (_what, query, message) => {
  expect(() => ask({ by: ['loan.kind'], measures: ['Loans'], ...query })).toThrow(QueryError);
  expect(() => ask({ by: ['loan.kind'], measures: ['Loans'], ...query })).toThrow(message);
});

test('a condition on measures leaves out rows, not what totals count', () => {
  const answer = ask({
    by: ['branch.name', 'loan.kind'],
    measures: ['Loans'],
    filters: [{ having: '"Loans" > 9 and "Fines" > 100' }],
    totals: true,
  });
  expect(answer.rows.length).toBeGreaterThan(0);
  for (const row of answer.rows) expect(Number(row[2])).toBeGreaterThan(9);
  expect(answer.totals).toEqual([loans.length]);
  expect(answer.columns.map((c) => c.name)).toEqual(['branch.name', 'loan.kind', 'Loans']);
});

test('the first by a measure, and all others as one member in its own context', () => {
  const names = ['Ash', 'Elm', 'Oak', 'Fir'];
  const ranked = [...names, null]
    .map((name) => ({ name, fines: fines((l) => nameOf(l) === name) }))
    .sort((a, b) => b.fines - a.fines);
  const first = ranked.slice(0, 2).map((r) => r.name);
  const isOther = (l: Loan) => !first.includes(nameOf(l));
  const query: Query = {
    by: ['branch.name'],
    measures: ['Loans', 'Kinds'],
    filters: [{ top: 2, of: 'Fines', others: true }],
  };
  const answer = ask(query);
  expect(answer.rows.slice(0, 2).map((row) => row[0])).toEqual([...first].sort());
  expect(answer.rows[2]).toEqual([
    { others: true },
    count(isOther),
    new Set(loans.filter(isOther).map((l) => l.kind)).size,
  ]);
  expect(answer.rows).toHaveLength(3);
  expect(ask({ ...query, filters: [{ top: 2, of: 'Fines' }] }).rows).toEqual(answer.rows.slice(0, 2));
  const last = ask({ ...query, filters: [{ top: 1, of: 'Fines', order: 'ascending' }] });
  expect(last.rows.map((row) => row[0])).toEqual([ranked.at(-1)!.name]);
  expect(traceCell(data, query, { measure: 'Loans', by: [{ others: true }] }).value).toBe(count(isOther));
});

test('within other members, and laid out across: the rest is one row for each of them', () => {
  const answer = ask({
    by: ['branch.region', { name: 'third', formula: 'mod(fine, 3)', of: 'loan' }],
    across: ['loan.kind'],
    measures: ['Fines'],
    filters: [{ top: 1, of: 'Loans', per: ['branch.region'], others: true }],
    subtotals: true,
  });
  for (const region of ['East', 'West', null]) {
    const own = loans.filter((l) => regionOf(l) === region);
    const thirds = [0, 1, 2]
      .map((third) => ({ third, n: own.filter((l) => l.fine % 3 === third).length }))
      .sort((a, b) => b.n - a.n || a.third - b.third);
    const top = thirds[0]!.third;
    const mine = answer.rows.filter((row) => row[0] === region);
    expect(new Set(mine.map((row) => JSON.stringify(row[1])))).toEqual(
      new Set([JSON.stringify(top), '{"others":true}']),
    );
    for (const [, third, kind, value] of mine) {
      const isTop = third === top;
      expect(value).toBe(
        own.filter((l) => l.kind === kind && (l.fine % 3 === top) === isTop).reduce((n, l) => n + l.fine, 0),
      );
    }
    const whole = answer.subtotals!.find((s) => s.by === 2 && s.across === 0)!.rows;
    const rest = whole.find((row) => row[0] === region && isOthers(row[1]!))!;
    expect(rest[2]).toBe(own.filter((l) => l.fine % 3 !== top).reduce((n, l) => n + l.fine, 0));
  }
});
const isOthers = (member: AnswerMember) =>
  member !== null && typeof member === 'object' && 'others' in member;

test('a cell may be a subtotal, the total, or one that a key tells apart', () => {
  const query: Query = {
    by: [
      { hierarchy: 'branch.Places', level: 'Region' },
      { hierarchy: 'branch.Places', level: 'Branch' },
    ],
    across: ['loan.kind'],
    measures: ['Loans'],
  };
  const value = (cell: Parameters<typeof traceCell>[2]) => traceCell(data, query, cell).value;
  expect(value({ measure: 'Loans' })).toBe(loans.length);
  expect(value({ measure: 'Loans', by: ['West'] })).toBe(count((l) => regionOf(l) === 'West'));
  expect(value({ measure: 'Loans', across: ['film'] })).toBe(count((l) => l.kind === 'film'));
  expect(value({ measure: 'Loans', by: ['West', { key: ['B3'] }] })).toBe(count((l) => l.branch === 'B3'));
  expect(value({ measure: 'Fines', by: ['West', 'Oak'] })).toBe(fines((l) => l.branch === 'B2'));
  expect(() => value({ measure: 'Loans', by: ['North'] })).toThrow('the answer has no row ["North"]');
});

test('an as-of day of the query takes the place of the model’s', () => {
  const until = (asOf: string) =>
    ask({ measures: ['Loans'], filters: [{ period: 'month to date' }], asOf }).rows[0]![0];
  const day = (text: string) => Date.parse(text) / 86_400_000;
  const upTo = (from: string, to: string) => count((l) => l.lent >= day(from) && l.lent <= day(to));
  expect(until('2024-10-10')).toBe(upTo('2024-10-01', '2024-10-10'));
  expect(until('2024-11-02')).toBe(upTo('2024-11-01', '2024-11-02'));
});

test('limit counts tuples of by, whatever across holds', () => {
  const all = ask({ by: ['branch.name'], across: ['loan.kind'], measures: ['Loans'] }).rows;
  const two = ask({ by: ['branch.name'], across: ['loan.kind'], measures: ['Loans'], limit: 2 }).rows;
  expect(two).toEqual(all.filter((row) => row[0] === 'Ash' || row[0] === 'Elm'));
});

test('members of one label are told apart by their keys, where they are asked for', () => {
  const query: Query = {
    by: [{ hierarchy: 'branch.Places', level: 'Branch' }],
    across: ['loan.kind'],
    measures: ['Loans'],
    subtotals: true,
  };
  const { rows: found, keys, subtotals } = answerQuery(data, query, 'code points', { keys: true });
  expect(ask(query).keys).toBeUndefined();
  found.forEach(([name, kind, n], i) => {
    const [key, none] = keys![i]!;
    // Only what is called as another member is named by its key.
    expect([none, key === null]).toEqual([null, name !== 'Elm']);
    const isOwn = (l: Loan) => (key ? l.branch === key[0] : nameOf(l) === name);
    expect(n).toBe(count((l) => l.kind === kind && isOwn(l)));
    const by = [key ? { key: [...key] } : (name as string | null)];
    expect(traceCell(data, query, { measure: 'Loans', by, across: [kind as string] }).value).toBe(n);
  });
  const branches = subtotals!.find((s) => s.by === 1)!;
  const elms = branches.rows.flatMap((row, i) => (row[0] === 'Elm' ? [branches.keys![i]![0]![0]] : []));
  expect(elms).toEqual(['B1', 'B3']);
  expect(() => traceCell(data, query, { measure: 'Loans', by: ['Elm'] })).toThrow('name one by its key');
});

test('an explained question has its answer, and a stage for each pass: what is of one context comes from one', () => {
  const query: Query = {
    by: ['branch.region'],
    measures: ['Loans', 'Fines', 'Kinds'],
    filters: [{ where: "loan.kind <> 'map'" }],
  };
  const { answer, explanation } = explainQuery(data, query);
  expect(answer).toEqual(ask(query));
  const { stages, elapsedMs, restMs } = explanation;
  expect(stages).toMatchObject([
    {
      table: 'loan',
      rows: 120,
      left: count((l) => l.kind !== 'map'),
      groups: answer.rows.length,
      by: ['branch.region'],
      where: ['loan.kind'],
      fields: 3,
      executor: 'plain',
    },
  ]);
  expect(stages[0]!.scanMs + stages[0]!.prepareMs + restMs).toBeCloseTo(elapsedMs, 6);
  const last = explainQuery(data, { measures: [{ name: 'L', formula: '"Loans" at last loan.lent' }] });
  expect(last.explanation.stages.at(-1)).toMatchObject({
    executor: 'laid out',
    because: 'at last: rows are chosen by what other rows hold',
  });
  // Outside of an explanation nothing is told.
  ask(query);
  expect(stages).toHaveLength(1);
});

test('medians of a column of few values are counted, also under a filter', () => {
  const medianOf = (list: readonly number[]): number | null => {
    const sorted = [...list].sort((a, b) => a - b);
    const n = sorted.length;
    return n === 0 ? null : (sorted[(n - 1) >> 1]! + sorted[n >> 1]!) / 2;
  };
  const { answer, explanation } = explainQuery(data, {
    by: ['branch.region'],
    measures: [
      { name: 'M', formula: 'median(loan.fine)' },
      { name: 'F', formula: "median(loan.fine) filter (where loan.kind = 'film')" },
      { name: 'None', formula: 'median(loan.fine) filter (where loan.fine > 1000)' },
    ],
    totals: true,
  });
  for (const [region, ...values] of [...answer.rows, [undefined, ...answer.totals!]]) {
    const own = loans.filter((l) => region === undefined || regionOf(l) === region);
    expect(values).toEqual([
      medianOf(own.map((l) => l.fine)),
      medianOf(own.filter((l) => l.kind === 'film').map((l) => l.fine)),
      null,
    ]);
  }
  expect(explanation.stages.every((stage) => stage.executor === 'plain')).toBe(true);
});
