import type { NoMember, PlainQuery } from '@crease/core/model';
import type { Random } from './random.ts';

/** A measure's formula and a query that asks for it. */
export interface Question {
  readonly formula: string;
  readonly query: PlainQuery;
}

const NUMBERS: Readonly<Record<string, readonly string[]>> = {
  loan: [
    'loan.copies',
    'loan.fine',
    'loan.copies * title.price',
    'title.price',
    'loan.fine * 2',
    'branch.size',
  ],
  visit: ['visit.visitors', 'visit.visitors - 3', 'branch.size'],
  stock: ['stock.copies'],
  hold: ['hold.requests', 'div(hold.requests, 2)'],
};
const ANY: Readonly<Record<string, readonly string[]>> = {
  loan: ['loan.branch_id', 'loan.day', 'title.class', 'branch.name', 'district.region', 'loan.late'],
  visit: ['visit.branch_id', 'branch.name', 'visit.day'],
  stock: ['stock.day', 'district.region'],
  hold: ['hold.month', 'hold.requests'],
};
/** Arguments that try the scalar functions, of numbers and of anything. */
const SCALARS: readonly string[] = [
  'round(loan.fine, 1)',
  'floor(loan.fine)',
  'ceiling(-loan.fine)',
  'abs(loan.copies - branch.size)',
  'sign(loan.fine - 10)',
  'loan.copies % 3',
  'mod(loan.fine, 7.5)',
  'div(loan.copies, branch.size)',
  'loan.copies / branch.size',
  'loan.fine * 1.25 - 0.5',
  'cast(loan.fine as integer)',
  'cast(loan.fine as decimal(9,1))',
  'cast(loan.copies as double) * 0.1',
  'sqrt(loan.fine)',
  'power(loan.copies, 2)',
  'ln(branch.size)',
  'greatest(loan.copies, branch.size, 1)',
  'least(loan.fine, title.price)',
  'date_diff(loan.day, loan.due, day)',
  'date_diff(loan.day, loan.due, week)',
  'date_diff(loan.day, loan.due, month)',
  'extract(week from loan.day)',
  'extract(isodow from loan.day) + extract(quarter from loan.due)',
  "position('l', branch.name)",
  "char_length(branch.name || '–' || district.region)",
  'nullif(loan.copies, 1)',
  'coalesce(loan.copies, branch.size, -1)',
  'case when loan.late then loan.copies when loan.late is null then -loan.copies end',
  'case branch.size when 1 then 10.5 when 2 then 20 else loan.fine end',
  'round(cast(loan.fine as double), 1)',
];
const SHOWN: readonly string[] = [
  'date_add(loan.day, loan.copies, month)',
  'date_add(loan.due, -1, week)',
  'date_trunc(loan.day, quarter)',
  'date_trunc(loan.day, week)',
  'make_date(2024, loan.copies, 31)',
  'make_date(extract(year from loan.day), loan.copies - 1, extract(day from loan.day))',
  'upper(branch.name)',
  'lower(title.class)',
  'substring(branch.name, 2, 1)',
  'substring(branch.name, 0, 2)',
  "replace(branch.name, 'l', 'LL')",
  "trim('  ' || branch.name)",
  'cast(loan.fine as text)',
  'cast(loan.late as text)',
  'cast(cast(loan.day as text) as date)',
  'cast(loan.day as timestamp)',
  "cast(title.class || '1' as integer)",
];
const FACTS = Object.keys(NUMBERS);
const CONDITIONS = [
  "district.region = 'North'",
  'branch.size > 1',
  'branch.size is null',
  "branch.name in ('Ash', 'Oak')",
  "not branch.name = 'Elm'",
  'calendar.weekday < 5',
  "calendar.month >= '2024-11'",
  'calendar.year = 2024',
  'district.loans > 1',
  "branch.place like '%North'",
];
const LOAN_CONDITIONS = [
  'loan.late',
  'loan.late is not true',
  'loan.fine > 10.5',
  "title.class = 'A'",
  "author.country = 'FR'",
  "author.country <> 'FR'",
  'author.born > 1940 or author.born is null',
  "topic.field = 'Arts'",
  "title.class = 'B' or branch.size = 2",
  'loan.fine is distinct from title.price',
  "lower(title.class) like 'b%'",
  'coalesce(loan.copies, 0) between 1 and 3',
  'title.last_lent < loan.day',
  'title.last_lent is null',
  'loan.worth > 20',
];
const UNITS = ['day', 'week', 'month', 'quarter', 'year', 'fiscal quarter', 'fiscal year'];
const TARGETS = [
  'branch',
  'district',
  'calendar',
  'title',
  'author',
  'branch.name',
  'district.region',
  'calendar.month',
  'title.class',
  'topic.field',
];

const period = (random: Random): string => {
  const unit = random.pick(UNITS);
  return random.pick([
    `${unit} to date`,
    'all to date',
    `whole ${unit}`,
    `previous ${unit}`,
    `next ${unit}`,
    `same period ${random.int(1, 3)} ${unit}s back`,
    `last ${random.int(1, 4)} ${unit}s`,
  ]);
};

function aggregate(random: Random): string {
  const fact = random.pick(FACTS);
  const number = random.pick(NUMBERS[fact]!);
  const any = random.pick(ANY[fact]!);
  const filter = random.chance(0.25) ? ` filter (where ${condition(random, fact)})` : '';
  const base = random.chance(0.7) ? ` from ${fact}` : '';
  return `${random.pick([
    `count(${fact})`,
    `sum(${number})${base}`,
    `avg(${number})${base}`,
    `min(${number})${base}`,
    `max(${any === 'loan.late' ? number : any})${base}`,
    `count(distinct ${any})${base}`,
    `count(${number})${base}`,
    `sum(distinct ${number})${base}`,
    `median(${number})${base}`,
    `var_samp(${number})${base}`,
    `stddev_pop(${number})${base}`,
    `latest(${fact === 'hold' ? 'hold.requests by hold.month' : `${fact}.${fact === 'visit' ? 'visitors' : 'copies'} by ${fact}.day`})`,
    `earliest(${fact === 'hold' ? 'hold.requests by hold.requests' : `${fact}.day by ${fact}.branch_id`})`,
    `only(${any === 'loan.late' ? 'loan.copies' : any})${base}`,
    ...(fact === 'loan'
      ? [
          `${random.pick(['sum', 'avg', 'min', 'max'])}(${random.pick(SCALARS)}) from loan`,
          `count(distinct ${random.pick([...SCALARS, ...SHOWN])}) from loan`,
          `${random.pick(['min', 'max', 'only'])}(${random.pick(SHOWN)}) from loan`,
        ]
      : []),
  ])}${filter}`;
}

const condition = (random: Random, fact?: string): string =>
  fact === 'loan' && random.chance(0.6) ? random.pick(LOAN_CONDITIONS) : random.pick(CONDITIONS);

function words(random: Random): string {
  const chosen = [
    () => `where (${random.pick([...CONDITIONS, ...LOAN_CONDITIONS])})`,
    () => `ignoring ${random.pick(TARGETS)}`,
    () => 'ignoring everything',
    () => `ignoring all reaching ${random.pick(['branch', 'title', 'calendar'])}`,
    () => `given ${random.pick(TARGETS)}`,
    () => `over (${period(random)})`,
    () =>
      `at ${random.pick(['first', 'last'])} ${random.pick(['stock.day', 'loan.day', 'visit.day', 'calendar.day'])}`,
    () => `at last stock.day per stock.branch_id`,
    () => 'via loan_due',
  ];
  return random
    .some(chosen, 2)
    .map((make) => make())
    .join(' ');
}

/** A random measure formula; not all of them are right, and those that are not are left out by the tester. */
function formula(random: Random, depth = 0): string {
  const inner = () => formula(random, depth + 1);
  if (depth > 2) return aggregate(random);
  return random.pick([
    () => aggregate(random),
    () => aggregate(random),
    () => `(${inner()}) ${words(random)}`,
    () => `(${aggregate(random)}) ${words(random)}`,
    () => `"Loans" ${words(random)}`,
    () => `"Visitors" ${words(random)}`,
    () => `(${inner()}) ${random.pick(['+', '-', '*', '/'])} (${inner()})`,
    () => `coalesce(${inner()}, 0)`,
    () => `case when ${inner()} > 3 then ${inner()} else null end`,
    () => `round(${inner()}, 1)`,
    () =>
      `${random.pick(['avg', 'sum', 'max', 'count', 'median'])}((${inner()}) per ${random.pick(['branch.id', 'calendar.month', 'title.class', 'district.region', '(branch.name, calendar.year)'])})`,
    () => `with step as (${inner()}) select step / (step ${words(random)})`,
  ])();
}

const BY = [
  'branch.name',
  'branch.id',
  'district.region',
  'calendar.month',
  'calendar.day',
  'calendar.year',
  'title.class',
  'author.country',
  'topic.field',
  'loan.late',
  'loan.copies',
  'hold.month',
  'Due on.month',
  '"Due on".weekday',
  'Kept at.name',
  'Kept at district.region',
];

export function question(random: Random): Question {
  const filters = random.some<() => NonNullable<PlainQuery['filters']>[number]>(
    [
      () => ({ column: 'branch.name', in: random.some<string | null>(['Ash', 'Elm', null, 'none'], 3) }),
      () => ({ column: 'calendar.month', in: ['2024-10', '2024-11', '2024-12'] }),
      () => ({ column: 'author.country', in: [random.pick(['FR', 'DE', null])] }),
      () => ({ where: random.pick([...CONDITIONS, ...LOAN_CONDITIONS]) }),
      () => ({ period: period(random) }),
      () => ({
        where: random.pick([
          '"Due on".weekday < 5',
          '"due on".month is null',
          '"Kept at".size > 1',
          `"Kept at".place like '%North'`,
          '"Due on".day > calendar.day',
        ]),
      }),
      () => ({ column: 'Kept at district.region', in: ['North', null] }),
      () => ({
        column: random.pick(['branch.name', 'title.class', 'author.country', 'calendar.month']),
        in: random.some<string | null | NoMember>(['Ash', 'A', null, { null: true }, { unmatched: true }], 3),
      }),
    ],
    2,
  );
  return {
    formula: formula(random),
    query: {
      by: random.some(BY, 2),
      measures: random.chance(0.3) ? ['Asked', 'Loans'] : ['Asked'],
      ...(filters.length > 0 ? { filters: filters.map((make) => make()) } : {}),
      ...(random.chance(0.4) ? { totals: true } : {}),
      ...(random.chance(0.15) ? { empty: 'show' as const } : {}),
      ...(random.chance(0.25) ? { unmatched: 'apart' as const } : {}),
    },
  };
}
