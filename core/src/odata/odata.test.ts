import fc from 'fast-check';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { Model, Perspective } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { ReadersView } from '../release/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { respondOData } from './index.ts';

const column = (name: string, type: string, values: readonly Value[]) =>
  columnOfValues(name, parseType(type)!, [...values]);
const BRANCHES = ['N', 'S', 'N', 'S', 'N', null, 'X', 'S'];
const FINES = [100, 250, null, 50, 300, 75, 25, 0];
const DAYS = [0, 1, 1, 31, 40, 40, null, 59];
const NOTES = ["it's", 'Élan', null, '', 'late & dear', 'a', 'A', '😀 read'];
const rows = new Map<string, TableData>([
  [
    'loan',
    tableOf('loan', [
      column('no', 'integer', [1, 2, 3, 4, 5, 6, 7, 9007199254740993n]),
      column('branch', 'text', BRANCHES),
      column('fine', 'decimal(9,2)', FINES),
      column('day', 'date', DAYS),
      column('note', 'text', NOTES),
      column('wage', 'integer', [1, 2, 3, 4, 5, 6, 7, 8]),
    ]),
  ],
  [
    'branch',
    tableOf('branch', [
      column('code', 'text', ['N', 'S']),
      column('short name', 'text', ['North', 'South']),
      column('opened', 'timestamp', [1_000_000_000_000_000n, null]),
    ]),
  ],
]);
const typed = (name: string, type: string, more = {}) => ({ name, type, ...more });
const model: Model = {
  crease: 1,
  name: 'lending library',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      title: 'Loans <all>',
      key: ['no'],
      columns: [
        typed('no', 'integer'),
        typed('branch', 'text'),
        typed('fine', 'decimal(9,2)', { use: 'quantity' }),
        typed('day', 'date'),
        typed('note', 'text', { title: 'Note', description: 'What was "said".' }),
        typed('wage', 'integer', { hidden: true }),
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      columns: [typed('code', 'text'), typed('short name', 'text'), typed('opened', 'timestamp')],
    },
  ],
  relationships: [
    { name: 'lb', from: { table: 'loan', columns: ['branch'] }, to: { table: 'branch', columns: ['code'] } },
  ],
  hierarchies: [{ name: 'Places', table: 'branch', levels: [{ name: 'Branch', column: 'short name' }] }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines paid', formula: 'sum(loan.fine)', title: 'Fines' },
    { name: 'Wages', formula: 'sum(loan.wage)', hidden: true },
    { name: 'Broken', formula: 'sum(loan.nothing)' },
  ],
};
const data = new ModelData(model, (name) => rows.get(name)!, 20_000);
const view = new ReadersView(model, undefined);
const ROOT = 'http://127.0.0.1:4600/odata/1/All/';

function ask(path: string, search = '', more: object = {}) {
  return respondOData(data, view, {
    path,
    search,
    root: ROOT,
    version: '4.01',
    accept: 'application/json',
    stamp: '7',
    ...more,
  });
}
interface Body {
  readonly '@odata.context'?: string;
  readonly '@odata.count'?: number;
  readonly '@odata.nextLink'?: string;
  readonly value: readonly Record<string, unknown>[];
  readonly error?: { readonly code: string; readonly message: string };
}
function body(path: string, search = '', more: object = {}): Body {
  const { status, body: text } = ask(path, search, more);
  if (status !== 200) throw new Error(`${status} ${text}`);
  return JSON.parse(text) as Body;
}
const numbers = (search: string): unknown[] =>
  body('loan', `$select=no&${search}`).value.map((row) => row['no']);

test('the service names its sets, and its metadata what they have', () => {
  expect(body('').value).toEqual([
    { name: 'loan', kind: 'EntitySet', url: 'loan', title: 'Loans <all>' },
    { name: 'branch', kind: 'EntitySet', url: 'branch' },
    { name: 'answers', kind: 'EntitySet', url: 'answers' },
  ]);
  const { type, body: xml } = ask('$metadata');
  expect(type).toBe('application/xml');
  expect(xml).toContain('<Schema Namespace="lending_library"');
  expect(xml).toContain('<Key><PropertyRef Name="no"/></Key>');
  // A table without a key has the numbers of its rows.
  expect(xml).toContain('<EntityType Name="branch"><Key><PropertyRef Name="row"/></Key>');
  expect(xml).toContain('<Property Name="fine" Type="Edm.Decimal" Precision="9" Scale="2" Nullable="true">');
  expect(xml).toContain(
    '<Annotation Term="Org.OData.Core.V1.LongDescription" String="What was &quot;said&quot;."/>',
  );
  expect(xml).toContain('Loans &lt;all&gt;');
  expect(xml).toContain('Qualifier="Fines_paid" String="Edm.Decimal"');
  expect(xml).not.toMatch(/wage|Broken/i);
  expect(ask('$metadata', '', { version: '4.0' }).body).toContain('<edmx:Edmx Version="4.0"');
});

test('rows have the values of their columns, with all their digits', () => {
  const first = body('loan', '$top=1');
  expect(first['@odata.context']).toBe(`${ROOT}$metadata#loan`);
  expect(first.value).toEqual([{ no: 1, branch: 'N', fine: 1, day: '1970-01-01', note: "it's" }]);
  expect(ask('loan', '$select=no,fine&$filter=no gt 7').body).toContain('"no":9007199254740993,"fine":0.00');
  expect(
    ask('loan', '$select=no&$filter=no gt 7', { accept: 'application/json;IEEE754Compatible=true' }).body,
  ).toContain('"no":"9007199254740993"');
  expect(body('branch').value).toEqual([
    { row: 1, code: 'N', short_name: 'North', opened: '2001-09-09T01:46:40Z' },
    { row: 2, code: 'S', short_name: 'South', opened: null },
  ]);
  expect(JSON.parse(ask('loan(3)').body)).toMatchObject({ no: 3, branch: 'N', fine: null });
  expect(JSON.parse(ask('branch(2)', '$select=code').body)).toEqual({
    '@odata.context': `${ROOT}$metadata#branch(code)/$entity`,
    code: 'S',
  });
  expect(JSON.parse(ask('loan(no=2)').body)).toMatchObject({ note: 'Élan' });
  expect([ask('loan(77)').status, ask('branch(3)').status, ask('branch(0)').status]).toEqual([404, 404, 404]);
  expect(ask('loan', '$select=no,NO,no&$top=1').body).toContain('"value":[{"no":1}]');
  expect(ask('answers', '$select=Loans,Loans').body).toContain('"value":[{"Loans":8}]');
  const bare = ask('loan', '$top=1&$format=application/json;odata.metadata=none');
  expect([bare.type, bare.body]).toEqual([
    'application/json;odata.metadata=none',
    expect.not.stringContaining('@odata'),
  ]);
});

// Written from the grammar and the meanings of URL Conventions 4.01, 5.1.1.
test.each([
  ["branch eq 'N'", [1, 3, 5]],
  ["branch ne 'N'", [2, 4, 6, 7, 8]],
  ['branch eq null', [6]],
  ['null ne branch', [1, 2, 3, 4, 5, 7, 8]],
  ['fine gt 0.75', [1, 2, 5]],
  // A comparison with null is false, so that its opposite is true.
  ['not (fine gt 0.75)', [3, 4, 6, 7, 8]],
  ["branch in ('N','X')", [1, 3, 5, 7]],
  ['branch in (null)', [6]],
  ["not (branch in ('N', null))", [2, 4, 7, 8]],
  ['day ge 1970-01-02 and day lt 1970-02-10', [2, 3, 4]],
  ['year(day) eq 1970 and month(day) eq 2', [4, 5, 6]],
  ["contains(note,'a')", [2, 5, 6, 8]],
  ["contains(tolower(note),'a')", [2, 5, 6, 7, 8]],
  ["startswith(note,'it''s') or endswith(note,'dear')", [1, 5]],
  ["endswith(note,'')", [1, 2, 4, 5, 6, 7, 8]],
  ["length(note) eq 6 and substring(note,2) eq 'read'", [8]],
  ["concat(branch,note) eq 'Sa' or indexof(note,'e') eq 3", [5, 8]],
  ['no div 2 eq 1', [2, 3]],
  ['no mod 2 eq 0 or -no lt -8', [2, 4, 6, 8]],
  ['no add 1 mul 2 eq 7', [5]],
  ['(no add 1) mul 2 eq 6', [2]],
  ['fine divby 2 eq 0.5', [1]],
  ['round(fine) eq 3 or ceiling(fine) eq 3', [2, 5]],
  ["branch eq 'N' or branch eq 'S' and fine gt 1", [1, 2, 3, 5]],
  ['true', [1, 2, 3, 4, 5, 6, 7, 8]],
])('$filter=%s', (filter, expected) => {
  const found = numbers(`$filter=${encodeURIComponent(filter)}`).map((no) => (Number(no) > 8 ? 8 : no));
  expect(found).toEqual(expected);
});

test('rows are ordered with null as the least, counted, and cut', () => {
  expect(numbers('$orderby=fine,no desc').slice(0, 4)).toEqual([3, 9007199254740992, 7, 4]);
  expect(numbers('$orderby=branch desc,fine&$top=3&$skip=1')).toEqual([9007199254740992, 4, 2]);
  // The dollar may be left out, and letters be of any size.
  expect(body('loan', "FILTER=branch%20eq%20'N'&$COUNT=true&top=1")).toMatchObject({
    '@odata.count': 3,
    value: [{ no: 1 }],
  });
  expect(ask('loan/$count', "$filter=branch eq 'S'").body).toBe('3');
  expect(numbers('$top=0')).toEqual([]);
  expect(numbers('custom=1&$top=1')).toEqual([1]);
});

test('pages follow each other to the end, whatever their size, and give all rows once', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 9 }),
      fc.option(fc.integer({ min: 0, max: 9 }), { nil: undefined }),
      fc.integer({ min: 0, max: 9 }),
      fc.constantFrom('', '$orderby=branch', '$filter=no gt 1', '$count=true'),
      (pageRows, top, skip, more) => {
        const options = [more, top === undefined ? '' : `$top=${top}`, `$skip=${skip}`]
          .filter(Boolean)
          .join('&');
        const whole = body('loan', `$select=no&${options}`).value;
        const found: unknown[] = [];
        let search: string | undefined = `$select=no&${options}`;
        for (let n = 0; search !== undefined && n < 20; n++) {
          const page: Body = body('loan', search, { pageRows });
          expect(page.value.length).toBeLessThanOrEqual(pageRows);
          found.push(...page.value);
          const next = page['@odata.nextLink'];
          expect(next === undefined || next.startsWith(`${ROOT}loan?`)).toBe(true);
          search = next?.split('?')[1];
        }
        expect(found).toEqual(whole);
      },
    ),
  );
  expect(ask('loan', '$skiptoken=6-2').status).toBe(400);
});

test('a condition is that of its text, with the meaning that null has', () => {
  type Shape = { text: string; holds: (row: number) => boolean };
  const at =
    <T>(list: readonly T[]) =>
    (row: number) =>
      list[row]!;
  const [fine, branch] = [at(FINES), at(BRANCHES)];
  const compared = fc
    .record({
      op: fc.constantFrom('gt', 'ge', 'lt', 'le', 'eq', 'ne'),
      cents: fc.integer({ min: -1, max: 301 }),
    })
    .map(({ op, cents }): Shape => ({
      text: `fine ${op} ${(cents / 100).toFixed(2)}`,
      holds: (row) => {
        const value = fine(row);
        if (op === 'eq') return value === cents;
        if (op === 'ne') return value !== cents;
        if (value === null) return false;
        return { gt: value > cents, ge: value >= cents, lt: value < cents, le: value <= cents }[op]!;
      },
    }));
  const among = fc.subarray(['N', 'S', 'X', null], { minLength: 1 }).map((list): Shape => ({
    text: `branch in (${list.map((one) => (one === null ? 'null' : `'${one}'`)).join(',')})`,
    holds: (row) => list.includes(branch(row)),
  }));
  const { condition } = fc.letrec<{ condition: Shape }>((tie) => ({
    condition: fc.oneof(
      { maxDepth: 4 },
      compared,
      among,
      tie('condition').map((one): Shape => ({ text: `not (${one.text})`, holds: (row) => !one.holds(row) })),
      fc.tuple(tie('condition'), tie('condition'), fc.boolean()).map(([a, b, isAnd]): Shape => ({
        text: `(${a.text}) ${isAnd ? 'and' : 'or'} (${b.text})`,
        holds: (row) => (isAnd ? a.holds(row) && b.holds(row) : a.holds(row) || b.holds(row)),
      })),
    ),
  }));
  fc.assert(
    fc.property(condition, ({ text, holds }) => {
      const found = body('loan', `$filter=${encodeURIComponent(text)}&$select=no`);
      const expected = [...FINES.keys()].filter(holds).map((row) => (row === 7 ? 9007199254740992 : row + 1));
      expect(found.value.map((row) => row['no'])).toEqual(expected);
    }),
  );
});

test('answers are grouped, aggregated, and chosen among before and after', () => {
  const apply = (text: string, more = '') =>
    body('answers', `$apply=${encodeURIComponent(text)}${more}`).value;
  expect(apply('groupby((branch_short_name),aggregate(Loans,Fines_paid))')).toEqual([
    { branch_short_name: 'North', Loans: 3, Fines_paid: 4 },
    { branch_short_name: 'South', Loans: 3, Fines_paid: 3 },
    { branch_short_name: null, Loans: 2, Fines_paid: 1 },
  ]);
  expect(apply('aggregate(Loans as all, loan_day with max as newest)')).toEqual([
    { all: 8, newest: '1970-03-01' },
  ]);
  expect(
    apply(
      "filter(loan_branch ne 'X' and year(loan_day) eq 1970)/groupby((branch_Places_Branch),aggregate(Loans))/filter(Loans gt 1)",
    ),
  ).toEqual([
    { branch_Places_Branch: 'North', Loans: 3 },
    { branch_Places_Branch: 'South', Loans: 3 },
  ]);
  expect(
    apply('groupby((loan_branch),aggregate(Loans))', '&$orderby=Loans desc,loan_branch&$top=2&$count=true'),
  ).toEqual([
    { loan_branch: 'N', Loans: 3 },
    { loan_branch: 'S', Loans: 3 },
  ]);
  expect(apply('groupby((loan_branch),aggregate(Loans))/orderby(loan_branch)/skip(1)/top(1)')).toEqual([
    { loan_branch: 'N', Loans: 3 },
  ]);
  expect(apply('groupby((branch_code))')).toEqual([{ branch_code: 'N' }, { branch_code: 'S' }]);
  // Those who cannot say $apply choose attributes and measures.
  expect(body('answers', '$select=Loans,branch_code&$filter=Loans eq 3').value).toHaveLength(2);
  expect(body('answers', '$select=Loans').value).toEqual([{ Loans: 8 }]);
  expect(ask('answers/$count', '$apply=groupby((loan_branch),aggregate(Loans))').body).toBe('4');
  const page = body('answers', '$apply=groupby((loan_branch),aggregate(Loans))', { pageRows: 3 });
  expect(page['@odata.nextLink']).toContain('$skiptoken=7-3');
  expect(page['@odata.context']).toBe(`${ROOT}$metadata#answers(loan_branch,Loans)`);
});

test.each([
  ['nothing', '', 404, 'there is no nothing here'],
  ['loan/fine', '', 404, 'nothing at loan/fine'],
  ['loan', '$filter=', 400, 'a value is missing, at its end'],
  ['loan', '$filter=nothing eq 1', 400, 'no property nothing'],
  ['loan', '$filter=wage eq 1', 400, 'cannot be answered from what is shown'],
  ['loan', '$filter=no eq 1)', 400, 'it should end, before ")"'],
  ['loan', '$filter=no', 400, 'no condition'],
  ['loan', "$filter=no eq 'x'", 400, '$filter: '],
  ['loan', "$filter=note eq 'open", 400, 'means nothing here'],
  ['loan', '$filter=geo.distance(no,1) lt 2', 501, 'the function geo.distance is not offered'],
  ['loan', "$filter=notes/any(n:n eq 'x')", 501, 'is not offered'],
  ['loan', '$orderby=nothing', 400, 'no property nothing'],
  ['loan', '$select=no,nothing', 400, 'no property nothing'],
  ['loan', '$top=-1', 400, '$top is a whole number'],
  ['loan', '$skip=x', 400, '$skip is a whole number'],
  ['loan', '$count=yes', 400, 'true or false'],
  ['loan', '$top=1&top=2', 400, '$top stands twice'],
  ['loan', '$expand=branch', 501, '$expand is not offered'],
  ['loan', '$nonsense=1', 400, 'no option $nonsense'],
  ['loan', '$apply=aggregate(Loans)', 400, 'for the set of answers'],
  ['loan', '$format=xml', 501, 'the format xml'],
  ['loan(a)', '', 400, '"=" is missing'],
  ["loan(note='a')", '', 400, 'the key of loan is no'],
  ['loan(no=1,no=1)', '', 400, 'the key of loan is no'],
  ['branch(row=1,row=2)', '', 400, 'the key of branch is row'],
  ['branch(code=1)', '', 400, 'the key of branch is row'],
  ['answers', '', 400, 'is asked with $apply'],
  ['answers', '$apply=filter(Loans gt 1)/aggregate(Loans)', 400, 'filtered after the grouping'],
  ['answers', '$apply=groupby((Loans))', 400, 'Loans is a measure'],
  ['answers', '$apply=aggregate(loan_branch)', 400, 'an attribute: aggregate it "with" a method'],
  ['answers', '$apply=aggregate(Wages)', 400, 'cannot be answered from what is shown'],
  ['answers', '$apply=aggregate(Loans,Loans)', 400, 'stands twice'],
  ['answers', '$apply=aggregate(Loans)/aggregate(Loans)', 501, 'grouped already'],
  ['answers', '$apply=groupby((rollup(loan_branch)))', 501, 'rollup'],
  ['answers', '$apply=topcount(2,Loans)', 501, 'the transformation topcount'],
  ['answers', '$apply=filter(loan_branch eq null)', 400, 'group by attributes'],
  ['$batch', '', 501, '$batch is not offered'],
  ['loan', `$filter=${'('.repeat(200)}1`, 400, 'nested more than 100 deep'],
  ['loan', `$filter=${'not '.repeat(200)}true`, 400, 'nested more than 100 deep'],
])('%s?%s is answered with a fault: %i', (path, search, status, message) => {
  const answer = ask(path, search);
  const { error } = JSON.parse(answer.body) as Body;
  expect([answer.status, error!.message]).toEqual([status, expect.stringContaining(message)]);
  expect(error!.code).toBe({ 400: 'BadRequest', 404: 'NotFound', 501: 'NotImplemented' }[status]);
});

test('identifiers are told apart whatever the names are', () => {
  const perspective: Perspective = { name: 'p', tables: ['a b', 'a-b', '1st', 'row'], measures: [] };
  const odd: Model = {
    crease: 1,
    name: '2 x',
    tables: ['a b', 'a-b', '1st', 'row'].map((name) => ({
      name,
      role: 'dimension',
      columns: [typed('row', 'text'), typed('Row!', 'text'), typed('größe', 'text')],
    })),
  };
  const value = (name: string) => [
    column('row', 'text', [name]),
    column('Row!', 'text', ['b']),
    column('größe', 'text', ['c']),
  ];
  const made = new ModelData(odd, (name) => tableOf(name, value(name)), 0);
  const request = { path: '', search: '', root: ROOT, version: '4.01', accept: '', stamp: '1' } as const;
  const read = (path: string) =>
    JSON.parse(respondOData(made, new ReadersView(odd, perspective), { ...request, path }).body) as Body;
  expect(read('').value.map((set) => set['name'])).toEqual(['a_b', 'a_b_2', '_1st', 'row', 'answers']);
  expect(read('a_b_2').value).toEqual([{ row_2: 1, row: 'a-b', Row_: 'b', größe: 'c' }]);
});
