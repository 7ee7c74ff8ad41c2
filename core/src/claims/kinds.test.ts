import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import type { Judgement } from './index.ts';
import { CLAIM_KINDS, judgeClaim, listClaims } from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
type Column = [name: string, type: string, values: Value[], rest?: object];

/** A table with its rows, written column by column. */
const made = new Map<string, TableData>();
function table(name: string, role: Table['role'], columns: Column[], rest: Partial<Table> = {}): Table {
  made.set(
    name,
    tableOf(
      name,
      columns
        .filter((c) => !(c[3] as { formula?: string })?.formula)
        .map(([n, type, values]) => columnOfValues(n, parseType(type)!, values)),
    ),
  );
  return { name, role, ...rest, columns: columns.map(([n, type, , more]) => ({ name: n, type, ...more })) };
}

function judge(model: Omit<Model, 'crease' | 'name'>, id: string): Judgement | undefined {
  const data = new ModelData(
    { crease: 1, name: 'm', ...model },
    (name) => made.get(name)!,
    day('2026-06-30'),
  );
  const claim = listClaims(data.model, data.checker).find((c) => c.id === id);
  return claim && judgeClaim(claim, data);
}

const relate = (
  name: string,
  from: string,
  column: string,
  to: string,
  toColumn: string,
  rest: object = {},
) => ({
  name,
  from: { table: from, columns: [column] },
  to: { table: to, columns: [toColumn] },
  ...rest,
});
const calendar = (days: string[]) =>
  table('calendar', 'dimension', [['day', 'date', days.map(day)]], { key: ['day'] });
const tree = (parents: Value[], labels: Value[] = parents.map((_, i) => `n${i}`)) =>
  table(
    'staff',
    'dimension',
    [
      ['id', 'integer', parents.map((_, i) => i + 1)],
      ['boss', 'integer', parents],
      ['name', 'text', labels],
    ],
    { key: ['id'] },
  );
const treeOf = (t: Table) => ({
  tables: [t],
  hierarchies: [{ name: 'T', table: 'staff', parent: 'boss', label: 'name' }],
});
const versions = (from: string[], to: (string | null)[], natural: Value[] = from.map(() => 1)) => ({
  tables: [
    table(
      'card',
      'dimension',
      [
        ['id', 'integer', from.map((_, i) => i)],
        ['no', 'integer', natural],
        ['since', 'date', from.map(day)],
        ['till', 'date', to.map((t) => t && day(t))],
      ],
      { key: ['id'], validity: { of: ['no'], from: 'since', to: 'till' } },
    ),
  ],
});
const bridge = (weights: Value[], type = 'decimal(3,2)') => ({
  tables: [
    table(
      'wrote',
      'bridge',
      [
        ['title', 'integer', weights.map((_, i) => Math.floor(i / 2))],
        ['share', type, weights],
      ],
      { weight: { column: 'share', per: ['title'] } },
    ),
  ],
});
const snapshot = (formula: string) => ({
  tables: [
    table(
      'stock',
      'fact',
      [
        ['day', 'date', [day('2026-01-31')]],
        ['n', 'integer', [1]],
      ],
      { snapshot: 'day' },
    ),
    calendar(['2026-01-31']),
  ],
  relationships: [relate('stock_day', 'stock', 'day', 'calendar', 'day')],
  measures: [{ name: 'M', formula }],
});
const twoFacts = (formula: string) => ({
  tables: [table('f', 'fact', [['q', 'integer', [1]]]), table('g', 'fact', [['q', 'integer', [1]]])],
  measures: [
    { name: 'F', formula: 'sum(f.q)' },
    { name: 'G', formula: 'sum(g.q)' },
    { name: 'M', formula },
  ],
});
const seen = (perspective: object) => ({
  tables: [
    table('f', 'fact', [
      ['d', 'integer', [1]],
      ['q', 'integer', [1]],
    ]),
    table(
      'd',
      'dimension',
      [
        ['id', 'integer', [1]],
        ['x', 'text', ['a'], { hidden: true }],
        ['y', 'text', ['b']],
      ],
      { key: ['id'] },
    ),
    table('lone', 'dimension', [['id', 'integer', [1]]], { key: ['id'] }),
  ],
  relationships: [relate('fd', 'f', 'd', 'd', 'id')],
  hierarchies: [{ name: 'H', table: 'd', levels: [{ name: 'Y', column: 'y' }] }],
  measures: [
    { name: 'M', formula: 'sum(f.q)' },
    { name: 'Secret', formula: 'count(f)', hidden: true },
  ],
  perspectives: [{ name: 'P', tables: [], columns: [], hierarchies: [], measures: [], ...perspective }],
});

const cases: [id: string, says: string, model: () => Omit<Model, 'crease' | 'name'>, against: number][] = [
  [
    'calendar-continuous:calendar',
    'each day once',
    () => ({
      tables: [calendar(['2026-01-01', '2026-01-02', '2026-01-03'])],
      calendars: [{ table: 'calendar', day: 'day' }],
    }),
    0,
  ],
  [
    'calendar-continuous:calendar',
    'two days are missing',
    () => ({
      tables: [calendar(['2026-01-01', '2026-01-04'])],
      calendars: [{ table: 'calendar', day: 'day' }],
    }),
    2,
  ],
  [
    'calendar-continuous:calendar',
    'a day stands twice',
    () => ({
      tables: [calendar(['2026-01-01', '2026-01-01', '2026-01-02'])],
      calendars: [{ table: 'calendar', day: 'day' }],
    }),
    2,
  ],
  [
    'calendar-covers:r',
    'before the first and after the last',
    () => ({
      tables: [
        calendar(['2026-01-02', '2026-01-03']),
        table('f', 'fact', [['at', 'date', [day('2026-01-01'), day('2026-01-02'), day('2026-02-01'), null]]]),
      ],
      calendars: [{ table: 'calendar', day: 'day' }],
      relationships: [relate('r', 'f', 'at', 'calendar', 'day')],
    }),
    2,
  ],
  ['tree-acyclic:staff.T', 'all ways end at a top', () => treeOf(tree([null, 1, 2])), 0],
  ['tree-acyclic:staff.T', 'two on a loop, one below them', () => treeOf(tree([null, 3, 2, 3])), 3],
  ['tree-acyclic:staff.T', 'its own parent', () => treeOf(tree([1, 1])), 2],
  ['tree-parent-known:staff.T', 'a parent that is no member', () => treeOf(tree([null, 9, 9, 1])), 2],
  ['tree-label-unique:staff.T', 'one label for two', () => treeOf(tree([null, 1, 1], ['a', 'b', 'b'])), 2],
  [
    'level-filled:d.H.X',
    'ragged',
    () => ({
      tables: [
        table(
          'd',
          'dimension',
          [
            ['id', 'integer', [1, 2]],
            ['x', 'text', ['a', null]],
          ],
          { key: ['id'] },
        ),
      ],
      hierarchies: [{ name: 'H', table: 'd', levels: [{ name: 'X', column: 'x' }] }],
    }),
    1,
  ],
  [
    'validity-disjoint:card',
    'day after day, the last one open',
    () => versions(['2026-01-01', '2026-02-01'], ['2026-01-31', null]),
    0,
  ],
  [
    'validity-disjoint:card',
    'touching on one day',
    () => versions(['2026-01-01', '2026-01-31'], ['2026-01-31', null]),
    2,
  ],
  [
    'validity-disjoint:card',
    'a gap of a day',
    () => versions(['2026-01-01', '2026-02-02'], ['2026-01-31', null]),
    2,
  ],
  [
    'validity-disjoint:card',
    'other cards do not clash',
    () => versions(['2026-01-01', '2026-01-01'], [null, null], [1, 2]),
    0,
  ],
  [
    'validity-disjoint:card',
    'one within another, a third far behind',
    () => versions(['2026-01-01', '2026-01-05', '2026-02-01'], ['2026-01-31', '2026-01-06', null]),
    2,
  ],
  ['bridge-weights:wrote', 'shares make a whole', () => bridge([60, 40, 100, 0]), 0],
  ['bridge-weights:wrote', 'a cent is missing', () => bridge([60, 39, 50, 50]), 2],
  ['bridge-weights:wrote', 'doubles are rounded', () => bridge([0.1, 0.9, 0.7, 0.3], 'double'), 0],
  ['bridge-weights:wrote', 'a null weighs nothing', () => bridge([100, null, 50, null]), 2],
  [
    'partition-covers:f',
    'a row without a day',
    () => ({
      tables: [
        table('f', 'fact', [['at', 'date', [day('2026-01-01'), null]]], {
          partition: { by: 'at', every: 'year' },
        }),
      ],
    }),
    1,
  ],
  [
    'budget-kept:f',
    'a text of few bytes in a budget of one',
    () => ({
      tables: [table('f', 'fact', [['said', 'text', ['a', 'b', 'a']]], { budget: { bytes: 1 } })],
    }),
    1,
  ],
  [
    'budget-kept:f',
    'a text of few bytes in a large budget',
    () => ({
      tables: [table('f', 'fact', [['said', 'text', ['a', 'b', 'a']]], { budget: { bytes: 1e6 } })],
    }),
    0,
  ],
  [
    'not-a-quantity:f.branch_id',
    'a code by its name',
    () => ({ tables: [table('f', 'fact', [['branch_id', 'integer', [1, 2], { use: 'quantity' }]])] }),
    2,
  ],
  [
    'not-a-quantity:f.amount',
    'an amount',
    () => ({
      tables: [
        table('f', 'fact', [
          ['amount', 'integer', Array.from({ length: 80 }, (_, i) => 10_000 + i), { use: 'quantity' }],
        ]),
      ],
    }),
    0,
  ],
  [
    'not-a-quantity:f.thing',
    'nearly all differ, all of one width',
    () => ({
      tables: [
        table('f', 'fact', [
          [
            'thing',
            'integer',
            Array.from({ length: 80 }, (_, i) => 4_020_707_000 + i * 37),
            { use: 'quantity' },
          ],
        ]),
      ],
    }),
    80,
  ],
  [
    'label-unique:d.name',
    'versions share their label',
    () => ({
      tables: [
        table(
          'd',
          'dimension',
          [
            ['id', 'integer', [1, 2]],
            ['no', 'integer', [7, 7]],
            ['name', 'text', ['a', 'a']],
            ['since', 'date', [1, 5]],
            ['till', 'date', [4, null]],
          ],
          { key: ['id'], label: 'name', validity: { of: ['no'], from: 'since', to: 'till' } },
        ),
      ],
    }),
    0,
  ],
  ['snapshot-measure:M', 'summed over time', () => snapshot('sum(stock.n)'), 1],
  ['snapshot-measure:M', 'at last', () => snapshot('sum(stock.n) at last stock.day'), 0],
  ['snapshot-measure:M', 'an average per day', () => snapshot('avg(sum(stock.n) per calendar.day)'), 0],
  ['snapshot-measure:M', 'a sum per day is a sum', () => snapshot('sum(sum(stock.n) per calendar.day)'), 1],
  [
    'snapshot-measure:M',
    'only half of it is settled',
    () => snapshot('sum(stock.n) / (sum(stock.n) at last stock.day)'),
    1,
  ],
  ['snapshot-measure:M', 'the greatest is not added', () => snapshot('max(stock.n)'), 0],
  ['missing-side:M', 'two facts', () => twoFacts('"F" - "G"'), 1],
  ['missing-side:M', 'each side filled', () => twoFacts('coalesce("F", 0) - coalesce("G", 0)'), 0],
  ['missing-side:M', 'one side filled', () => twoFacts('coalesce("F", 0) + "G"'), 1],
  ['missing-side:M', 'a ratio', () => twoFacts('"F" / "G"'), 0],
  ['missing-side:M', 'counts are never null', () => twoFacts('count(f) - count(g)'), 0],
  ['missing-side:M', 'within one fact', () => twoFacts('"F" - count(f)'), 0],
  ['perspective-closed:P', 'a dimension and its measure', () => seen({ tables: ['d'], measures: ['M'] }), 0],
  [
    'perspective-closed:P',
    'something missing',
    () => seen({ tables: ['d', 'gone'], measures: ['M', 'Nothing'] }),
    2,
  ],
  [
    'perspective-closed:P',
    'something hidden',
    () => seen({ tables: ['d'], columns: ['d.x'], measures: ['M', 'Secret'] }),
    2,
  ],
  [
    'perspective-closed:P',
    'a hierarchy without its column',
    () => seen({ columns: ['d.id'], hierarchies: ['d.H'], measures: ['M'] }),
    1,
  ],
  ['perspective-closed:P', 'a measure without a dimension', () => seen({ measures: ['M'] }), 1],
  [
    'perspective-closed:P',
    'a dimension without a measure',
    () => seen({ tables: ['d', 'lone'], measures: ['M'] }),
    1,
  ],
  [
    'measure-reach:M<-lone',
    'beside a dimension that does not reach it',
    () => seen({ tables: ['d', 'lone'], measures: ['M'] }),
    1,
  ],
  [
    'path-acyclic:self',
    'a table that refers to itself by default',
    () => ({ tables: [tree([null, 1])], relationships: [relate('self', 'staff', 'boss', 'staff', 'id')] }),
    1,
  ],
  [
    'path-acyclic:self',
    'not by default',
    () => ({
      tables: [tree([null, 1])],
      relationships: [relate('self', 'staff', 'boss', 'staff', 'id', { default: false })],
    }),
    0,
  ],
  [
    'reference-type:r',
    'text meets number',
    () => ({
      tables: [
        table('f', 'fact', [['d', 'text', ['1']]]),
        table('d', 'dimension', [['id', 'integer', [1]]], { key: ['id'] }),
      ],
      relationships: [relate('r', 'f', 'd', 'd', 'id')],
    }),
    1,
  ],
  [
    'reference-type:r',
    'a decimal meets an integer',
    () => ({
      tables: [
        table('f', 'fact', [['d', 'decimal(9,2)', [100]]]),
        table('d', 'dimension', [['id', 'integer', [1]]], { key: ['id'] }),
      ],
      relationships: [relate('r', 'f', 'd', 'd', 'id')],
    }),
    0,
  ],
  [
    'cardinality:r',
    'one-to-one, twice on one side',
    () => ({
      tables: [
        table('f', 'fact', [['d', 'integer', [1, 1]]]),
        table('d', 'dimension', [['id', 'integer', [1]]], { key: ['id'] }),
      ],
      relationships: [relate('r', 'f', 'd', 'd', 'id', { cardinality: 'one-to-one' })],
    }),
    2,
  ],
  [
    'cardinality:r',
    'many-to-many contradicts nothing',
    () => ({
      tables: [
        table('f', 'fact', [['d', 'integer', [1, 1]]]),
        table('d', 'dimension', [['id', 'integer', [1, 1]]]),
      ],
      relationships: [relate('r', 'f', 'd', 'd', 'id', { cardinality: 'many-to-many' })],
    }),
    0,
  ],
  [
    'measure-name:A',
    'alike but for case',
    () => ({
      tables: [],
      measures: [
        { name: 'A', formula: '1' },
        { name: 'a', formula: '2' },
      ],
    }),
    1,
  ],
  [
    'measure-name:f',
    'a table is called so',
    () => ({
      tables: [table('f', 'fact', [['q', 'integer', []]])],
      measures: [{ name: 'f', formula: 'count("f")' }],
    }),
    1,
  ],
  [
    'formula-valid:f.twice',
    'a derived column that mixes types',
    () => ({
      tables: [
        table('f', 'fact', [
          ['q', 'integer', [1]],
          ['twice', 'integer', [], { formula: "q || 'x'" }],
        ]),
      ],
    }),
    1,
  ],
  [
    'formula-valid:f.a',
    'derived in a circle',
    () => ({
      tables: [
        table('f', 'fact', [
          ['a', 'integer', [], { formula: 'b' }],
          ['b', 'integer', [], { formula: 'a' }],
        ]),
      ],
    }),
    1,
  ],
  [
    'known-answer:K',
    'as it is known',
    () => ({
      tables: [table('f', 'fact', [['q', 'decimal(9,2)', [110, 215]]])],
      measures: [{ name: 'Q', formula: 'sum(f.q)' }],
      knownAnswers: [{ name: 'K', query: { measures: ['Q'] }, rows: [['3.25']] }],
    }),
    0,
  ],
  [
    'known-answer:K',
    'a cent off',
    () => ({
      tables: [table('f', 'fact', [['q', 'decimal(9,2)', [110, 215]]])],
      measures: [{ name: 'Q', formula: 'sum(f.q)' }],
      knownAnswers: [{ name: 'K', query: { measures: ['Q'] }, rows: [['3.26']] }],
    }),
    1,
  ],
  [
    'known-answer:K',
    'within its tolerance',
    () => ({
      tables: [table('f', 'fact', [['q', 'decimal(9,2)', [110, 215]]])],
      measures: [{ name: 'Q', formula: 'sum(f.q)' }],
      knownAnswers: [{ name: 'K', query: { measures: ['Q'] }, rows: [[3.3]], tolerance: 0.1 }],
    }),
    0,
  ],
];

test.each(cases)('%s: %s', (id, _says, model, against) => {
  const judgement = judge(model(), id)!;
  expect(judgement.evidence.against).toBe(against);
  expect(judgement.verdict).toBe(against > 0 ? 'broken' : 'holds');
});

test('a gap in validity warns, an overlap blocks', () => {
  expect(
    judge(versions(['2026-01-01', '2026-02-02'], ['2026-01-31', null]), 'validity-disjoint:card')!.weight,
  ).toBe('warns');
  expect(
    judge(versions(['2026-01-01', '2026-01-31'], ['2026-01-31', null]), 'validity-disjoint:card')!.weight,
  ).toBe('blocks');
});

test('claims about what the model does not have are not made, and nothing throws', () => {
  const model = {
    tables: [table('f', 'fact', [['q', 'integer', [1]]], { key: ['gone'] })],
    relationships: [relate('r', 'f', 'gone', 'nowhere', 'x')],
    hierarchies: [{ name: 'H', table: 'nowhere', levels: [{ name: 'A', column: 'b' }] }],
    calendars: [{ table: 'f', day: 'gone' }],
  };
  const data = new ModelData({ crease: 1, name: 'm', ...model }, (name) => made.get(name)!, 0);
  const claims = listClaims(data.model, data.checker);
  for (const claim of claims) expect(judgeClaim(claim, data).verdict).toBe('holds');
  expect(claims.map((c) => c.id)).toEqual(['type-holds:f.q']);
});

test('every kind is shown broken by some case here or by the demo', () => {
  const elsewhere = [
    'type-holds',
    'file-read',
    'key-unique',
    'key-filled',
    'reference-complete',
    'reference-filled',
    'level-single-parent',
    'path-single',
    'measure-name',
    'label-unique',
    'known-answer',
    // By the tests of corrections.
    'corrections-fit',
  ];
  const here = cases.filter(([, , , against]) => against > 0).map(([id]) => id.split(':')[0]!);
  expect(
    CLAIM_KINDS.map((k) => k.kind).filter((kind) => !here.includes(kind) && !elsewhere.includes(kind)),
  ).toEqual([]);
});
