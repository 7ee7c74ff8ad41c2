// One question for each shape that a scan has to cope with, on generated rows in memory: warm medians of both
// executors, so that a shape which leaves the compiled path is seen. Rows are made by a seeded generator.
//   npm run bench -- shapes [--rows N]   (default 4,000,000)
import { columnOfParts, listDomain, rangeDomain, tableOf } from '@crease/core/columns';
import type { Codes, Column, TableData } from '@crease/core/columns';
import type { Model, Query } from '@crease/core/model';
import { readModel, withFamilies } from '@crease/core/model';
import { answerQuery, ModelData } from '@crease/core/query';
import type { Executor } from '@crease/core/query';
import { parseType } from '@crease/core/values';
import type { Value } from '@crease/core/values';

const at = process.argv.indexOf('--rows');
const ROWS = at < 0 ? 4_000_000 : Number(process.argv[at + 1]);
const MEMBERS = 400_000;
const DAYS = 1096;
const FIRST_DAY = 19_723;
const TODAY = FIRST_DAY + DAYS - 1;

let state = 12_345;
/** A whole number below `n`: a linear congruential generator is random enough to lay out rows. */
const below = (n: number): number => {
  state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
  return Math.floor((state / 2 ** 32) * n);
};
/** Skewed: half of all rows have a tenth of the members. */
const skewed = (n: number): number => (below(2) === 0 ? below(Math.ceil(n / 10)) : below(n));

const codesFor = (size: number, rows: number): Codes =>
  size < 2 ** 8 - 1
    ? new Uint8Array(rows)
    : size < 2 ** 16 - 1
      ? new Uint16Array(rows)
      : new Uint32Array(rows);

/** A column over a range of whole numbers or a list of values; `code` gives 1 … size, or 0 for null. */
function column(
  name: string,
  type: string,
  domain: { first: number; size: number } | readonly Value[],
  rows: number,
  code: (row: number) => number,
): Column {
  const made = 'first' in domain ? rangeDomain(domain.first, domain.size) : listDomain(domain);
  const codes = codesFor(made.size, rows);
  let nulls = 0;
  for (let row = 0; row < rows; row++) {
    codes[row] = code(row);
    if (codes[row] === 0) nulls++;
  }
  return columnOfParts({
    name,
    type: parseType(type)!,
    rowCount: rows,
    domain: made,
    codes,
    distinct: made.size,
    nulls,
    runs: rows,
  });
}

const texts = (prefix: string, n: number): string[] =>
  Array.from({ length: n }, (_, i) => `${prefix}${String(i).padStart(7, '0')}`);
const days = { first: FIRST_DAY, size: DAYS };
const months = Array.from(
  { length: 36 },
  (_, i) => `${2024 + Math.floor(i / 12)}-${String((i % 12) + 1).padStart(2, '0')}`,
);
const monthOf = (row: number): number => Math.min(35, Math.floor(row / 30.45)) + 1;

const tables: Readonly<Record<string, TableData>> = {
  sale: tableOf('sale', [
    column('day', 'date', days, ROWS, () => 1 + below(DAYS)),
    column('house', 'integer', { first: 1, size: 60 }, ROWS, (row) => (row % 97 === 0 ? 0 : 1 + skewed(40))),
    column('person', 'integer', { first: 1, size: MEMBERS }, ROWS, () => 1 + skewed(MEMBERS)),
    column('kind', 'integer', { first: 1, size: 8 }, ROWS, () => 1 + below(8)),
    column('amount', 'decimal(12,2)', { first: 0, size: 2_000_000 }, ROWS, (row) =>
      row % 31 === 0 ? 0 : 1 + below(2_000_000),
    ),
    column('pieces', 'integer', { first: 1, size: 60 }, ROWS, () => 1 + below(60)),
    column(
      'rate',
      'double',
      Array.from({ length: 50_000 }, (_, i) => i / 7),
      ROWS,
      () => 1 + below(50_000),
    ),
  ]),
  house: tableOf('house', [
    column('house', 'integer', { first: 1, size: 40 }, 40, (row) => row + 1),
    column('name', 'text', texts('House ', 40), 40, (row) => row + 1),
    column('region', 'text', texts('Region ', 6), 40, (row) => 1 + (row % 6)),
  ]),
  person: tableOf('person', [
    column('person', 'integer', { first: 1, size: MEMBERS }, MEMBERS, (row) => row + 1),
    column('name', 'text', texts('Person ', MEMBERS), MEMBERS, (row) => row + 1),
    column('group', 'integer', { first: 1, size: 20_000 }, MEMBERS, (row) => 1 + (row % 20_000)),
    column('class', 'text', ['a', 'b', 'c', 'd'], MEMBERS, (row) => 1 + (row % 4)),
  ]),
  club: tableOf('club', [
    column('club', 'integer', { first: 1, size: 50 }, 50, (row) => row + 1),
    column('name', 'text', texts('Club ', 50), 50, (row) => row + 1),
  ]),
  member: tableOf('member', [
    column('person', 'integer', { first: 1, size: MEMBERS }, MEMBERS * 2, (row) => 1 + (row >> 1)),
    column('club', 'integer', { first: 1, size: 50 }, MEMBERS * 2, () => 1 + below(50)),
  ]),
  calendar: tableOf('calendar', [
    column('day', 'date', days, DAYS, (row) => row + 1),
    column('month', 'text', months, DAYS, monthOf),
    column(
      'year',
      'integer',
      { first: 2024, size: 3 },
      DAYS,
      (row) => 1 + Math.floor((monthOf(row) - 1) / 12),
    ),
  ]),
};

const key = (table: string, ...columns: string[]) => ({ table, columns });
const declared = (name: string, role: string, keys: readonly string[]) => ({
  name,
  role,
  key: keys,
  columns: [...tables[name]!.columns.values()].map((c) => ({
    name: c.name,
    type: c.type.kind === 'decimal' ? `decimal(${c.type.precision},${c.type.scale})` : c.type.kind,
  })),
});
const model: Model = withFamilies(
  readModel(
    JSON.stringify({
      crease: 1,
      name: 'shapes',
      tables: [
        declared('sale', 'fact', []),
        declared('house', 'dimension', ['house']),
        declared('person', 'dimension', ['person']),
        declared('club', 'dimension', ['club']),
        declared('member', 'bridge', ['person', 'club']),
        declared('calendar', 'dimension', ['day']),
      ].map(({ key: own, ...table }) => (own.length > 0 ? { ...table, key: own } : table)),
      relationships: [
        { name: 'sale_house', from: key('sale', 'house'), to: key('house', 'house') },
        { name: 'sale_person', from: key('sale', 'person'), to: key('person', 'person') },
        { name: 'sale_day', from: key('sale', 'day'), to: key('calendar', 'day') },
        { name: 'member_person', from: key('member', 'person'), to: key('person', 'person') },
        { name: 'member_club', from: key('member', 'club'), to: key('club', 'club') },
      ],
      calendars: [{ table: 'calendar', day: 'day' }],
      measures: [
        { name: 'Sales', formula: 'count(sale)' },
        { name: 'Amount', formula: 'sum(sale.amount)' },
      ],
    }),
  ),
);

const spot = (formula: string): Query['measures'][number] => ({ name: 'M', formula });
const QUESTIONS: readonly (readonly [string, Query])[] = [
  ['sum by two attributes', { by: ['house.region', 'calendar.year'], measures: ['Amount', 'Sales'] }],
  [
    'a between and b >',
    {
      by: ['house.region'],
      measures: ['Amount'],
      filters: [
        { where: "calendar.day between date '2024-03-01' and date '2025-08-31' and sale.pieces > 20" },
      ],
    },
  ],
  [
    'the same as two conditions',
    {
      by: ['house.region'],
      measures: ['Amount'],
      filters: [
        { where: "calendar.day between date '2024-03-01' and date '2025-08-31'" },
        { where: 'sale.pieces > 20' },
      ],
    },
  ],
  [
    'a or b, of two tables',
    {
      by: ['house.region'],
      measures: ['Amount'],
      filters: [{ where: "house.region = 'Region 0000001' or sale.pieces > 50" }],
    },
  ],
  [
    'arithmetic in a condition',
    { by: ['house.region'], measures: ['Amount'], filters: [{ where: 'sale.pieces * 2 > sale.kind' }] },
  ],
  [
    'range of a decimal of many values',
    {
      by: ['house.region'],
      measures: ['Sales'],
      filters: [{ where: 'sale.amount between 100.00 and 4000.00' }],
    },
  ],
  [
    'range of a double of many values',
    { by: ['house.region'], measures: ['Sales'], filters: [{ where: 'sale.rate > 3000' }] },
  ],
  ['median by 8 members', { by: ['sale.kind'], measures: [spot('median(sale.amount)')] }],
  ['median of a looked-up value', { by: ['sale.kind'], measures: [spot('median(person.group) from sale')] }],
  ['minimum by 8 members', { by: ['sale.kind'], measures: [spot('min(sale.amount)')] }],
  ['average of a double', { by: ['sale.kind'], measures: [spot('avg(sale.rate)')] }],
  ['distinct persons by region', { by: ['house.region'], measures: [spot('count(distinct sale.person)')] }],
  [
    'average per person by two attributes',
    { by: ['house.region', 'calendar.year'], measures: [spot('avg("Amount" per person.person)')] },
  ],
  ['average per person', { measures: [spot('avg("Amount" per person.person)')] }],
  [
    'a year back by month',
    { by: ['calendar.month'], measures: [spot('"Amount" over (same period 1 year back)')] },
  ],
  ['year to date by month', { by: ['calendar.month'], measures: [spot('"Amount" over (year to date)')] }],
  [
    'a year back by year',
    { by: ['calendar.year'], measures: [spot('"Amount" over (same period 1 year back)')] },
  ],
  ['grouped over a bridge', { by: ['club.name'], measures: ['Amount'] }],
  [
    'filtered over a bridge',
    {
      by: ['house.region'],
      measures: ['Amount'],
      filters: [{ column: 'club.name', in: ['Club 0000001', 'Club 0000002'] }],
    },
  ],
  [
    'top 20 of 400,000',
    { by: ['person.name'], measures: ['Amount'], sort: [{ of: 'Amount', order: 'descending' }], limit: 20 },
  ],
  ['all of 20,000', { by: ['person.group'], measures: ['Amount'] }],
];

/** The median of the times of some runs, in milliseconds; the first is apart. */
function timesOf(data: ModelData, query: Query, runs: number): { first: number; warm: number } {
  const times = Array.from({ length: runs + 1 }, () => {
    const start = performance.now();
    answerQuery(data, query);
    return performance.now() - start;
  });
  const [first, ...warm] = times as [number, ...number[]];
  return { first, warm: warm.sort((a, b) => a - b)[warm.length >> 1]! };
}

const dataFor = (executor: Executor) => new ModelData(model, (name) => tables[name]!, TODAY, executor);
const only = process.argv.indexOf('--only');
const pattern = only < 0 ? '' : process.argv[only + 1]!;
const withPlain = process.argv.includes('--plain');
console.log(`${ROWS.toLocaleString('en')} rows, times in ms`);
console.log(
  `${'question'.padEnd(40)}${'first'.padStart(9)}${'warm'.padStart(9)}${withPlain ? 'plain'.padStart(9) : ''}`,
);
const compiled = dataFor('auto');
const plain = dataFor('plain');
for (const [name, query] of QUESTIONS) {
  if (!name.includes(pattern)) continue;
  const { first, warm } = timesOf(compiled, query, 3);
  const other = withPlain ? timesOf(plain, query, 1).warm.toFixed(0).padStart(9) : '';
  console.log(`${name.padEnd(40)}${first.toFixed(0).padStart(9)}${warm.toFixed(0).padStart(9)}${other}`);
}
