import type { Row, World } from './world.ts';
import { dayText } from './world.ts';

/** A claim that must be broken, with what must be counted. */
export interface Expected {
  readonly id: string;
  readonly against?: number;
  readonly distinct?: number;
  readonly warns?: boolean;
}

/**
 * A mistake that people make. `touches` are tables and other parts that it changes: two flaws of one part are
 * not planted together.
 */
export interface Flaw {
  readonly name: string;
  readonly touches: readonly string[];
  /** Plants it, and says what must be broken, and what may be for its sake (`*` stands for anything). */
  plant(world: World): { readonly broken: readonly Expected[]; readonly also?: readonly string[] };
}

const flaw = (name: string, touches: readonly string[], plant: Flaw['plant']): Flaw => ({
  name,
  touches,
  plant,
});

/** Makes of some rows what `change` says; their number. */
function changeSome(w: World, table: string, most: number, change: (row: Row, i: number) => void): number {
  const some = w.random.some(w.rows(table), w.random.between(1, most));
  some.forEach(change);
  return some.length;
}

/** A formula that cannot be evaluated, as a measure of its own. */
const wrongMeasure = (name: string, formula: (w: World) => string): Flaw =>
  flaw(`formula: ${name}`, [`measure ${name}`], (w) => ({
    broken: [{ id: `formula-valid:${w.measure(`Wrong, ${name}`, formula(w))}` }],
  }));

const formulas: Flaw[] = [
  wrongMeasure('misspelt column', (w) => `sum(${w.q('loan line')}.finne)`),
  wrongMeasure('unknown measure', () => '"Loans" / "Lones"'),
  wrongMeasure('sum of text', (w) => `sum(${w.f('branch.town')})`),
  wrongMeasure('no end', (w) => `sum(${w.f('loan line.fine')}`),
  wrongMeasure('text and number', (w) => `"Loans" + ${w.f('branch.town')}`),
  wrongMeasure(
    'date and text',
    (w) => `count(${w.q('loan line')}) filter (where ${w.f('loan line.lent on')} > '2025-03-01')`,
  ),
  wrongMeasure(
    'where that does not reach',
    (w) => `"Loans" where ${w.f('author.full name')} = 'Author 1' and ${w.f('desk.kind')} = 'loans'`,
  ),
  wrongMeasure('not connected', (w) => `sum(${w.f('loan line.fine')} * ${w.f('visit.visitors')})`),
  wrongMeasure('too many arguments', (w) => `sum(${w.f('loan line.fine')}, 2)`),
  flaw('formula: circle of two', ['measure circle'], (w) => {
    w.measure('Chicken', '"Egg" * 2');
    w.measure('Egg', '"Chicken" / 2');
    return { broken: [{ id: 'formula-valid:Chicken' }, { id: 'formula-valid:Egg' }] };
  }),
  flaw('formula: of a column', ['derived title'], (w) => {
    const name = w.n('dear title');
    w.of('title').table.columns.push({ name, type: 'boolean', formula: `${w.q('prise')} > 20` });
    return { broken: [{ id: `formula-valid:${w.n('title')}.${name}` }] };
  }),
];

const names: Flaw[] = [
  flaw('measure name: twice', ['measure name'], (w) => {
    w.measure('Loans', `count(${w.q('loan line')}) * 1`);
    return { broken: [{ id: 'measure-name:Loans' }] };
  }),
  flaw('measure name: by case', ['measure name'], (w) => {
    w.measure('VISITORS', `sum(${w.f('visit.visitors')})`);
    return { broken: [{ id: 'measure-name:Visitors' }, { id: 'measure-name:VISITORS' }] };
  }),
  flaw('measure name: a table', ['measure name'], (w) => {
    const name = w.measure(w.n('desk').toUpperCase(), `sum(${w.f('visit.visitors')})`);
    return { broken: [{ id: `measure-name:${name}` }], also: ['formula-valid:*'] };
  }),
  flaw('measure name: one of a family', ['measure name'], (w) => {
    w.measure('Loans, year to date', `count(${w.q('loan line')})`);
    return { broken: [{ id: 'measure-name:Loans, year to date' }] };
  }),
];

const references: Flaw[] = [
  flaw('reference type: text and number', ['loan staff'], (w) => {
    w.column('loan line.staff no').type = 'text';
    return {
      broken: [{ id: 'reference-type:loan_staff' }],
      also: ['reference-complete:loan_staff', 'cardinality:loan_staff'],
    };
  }),
  flaw('reference type: one of two columns', ['visit'], (w) => {
    w.column('visit.desk no').type = 'text';
    return {
      broken: [{ id: 'reference-type:visit_desk' }],
      also: ['reference-complete:visit_desk', 'cardinality:visit_desk'],
    };
  }),
  flaw('orphans', ['loan staff'], (w) => {
    const [a, b] = ['991', '992'];
    const n = changeSome(w, 'loan line', 9, (row, i) => (row['staff no'] = i % 2 ? a! : b!));
    return { broken: [{ id: 'reference-complete:loan_staff', against: n, distinct: Math.min(2, n) }] };
  }),
  flaw('orphan by case', ['author', 'title author'], (w) => {
    const row = w.row('title author');
    row['author code'] = row['author code']!.toLowerCase();
    return { broken: [{ id: 'reference-complete:title_author_author', against: 1, distinct: 1 }] };
  }),
  flaw('orphan by a blank behind', ['budget'], (w) => {
    const row = w.row('budget');
    row['district code'] += ' ';
    return { broken: [{ id: 'reference-complete:budget_district', against: 1, distinct: 1 }] };
  }),
  flaw('orphan by a hard blank', ['district', 'branch'], (w) => {
    const row = w.row('branch');
    row['district code'] += '\u00a0';
    return {
      broken: [{ id: 'reference-complete:branch_district', against: 1, distinct: 1 }],
      also: ['level-*:*Places*'],
    };
  }),
  flaw('orphans of a key of two columns', ['visit'], (w) => {
    const n = changeSome(w, 'visit', 5, (row) => (row['desk no'] = '7'));
    return { broken: [{ id: 'reference-complete:visit_desk', against: n }], also: ['key-unique:*'] };
  }),
  flaw('no reference', ['loan title'], (w) => {
    const n = changeSome(w, 'loan line', 12, (row) => (row['title no'] = null));
    return { broken: [{ id: 'reference-filled:loan_title', against: n, warns: true }] };
  }),
  flaw('half a reference', ['visit'], (w) => {
    const n = changeSome(w, 'visit', 4, (row) => (row['desk no'] = null));
    return {
      broken: [
        { id: 'reference-filled:visit_desk', against: n, warns: true },
        { id: `key-filled:${w.n('visit')}`, against: n },
      ],
    };
  }),
  flaw('one to one that is not', ['branch plan', 'branch'], (w) => {
    const rows = w.rows('branch');
    w.addColumn('branch', ['main branch', 'text', 'reference'], (_, i) =>
      i < 20 ? `Bx${String(i).padStart(2, '0')}` : 'Bx00',
    );
    w.relate('branch_main', 'branch.main branch', 'branch plan.branch code', {
      cardinality: 'one-to-one',
      default: false,
    });
    return { broken: [{ id: 'cardinality:branch_main', against: rows.length - 20 + 1, distinct: 1 }] };
  }),
  flaw('many to one to what repeats', ['title'], (w) => {
    w.addColumn('title', ['shelf', 'text'], (_, i) => `S${i % 20}`);
    w.addColumn('author', ['shelf', 'text', 'reference'], (_, i) => `S${i}`);
    w.relate('author_shelf', 'author.shelf', 'title.shelf', { default: false });
    return { broken: [{ id: 'cardinality:author_shelf', against: 10, distinct: 5 }] };
  }),
];

const paths: Flaw[] = [
  flaw('two dates by default', ['paths'], (w) => {
    delete w.relationships.find((r) => r.name === 'loan_returned_on')!.default;
    return {
      broken: [{ id: `path-single:${w.n('loan line')}->${w.n('calendar')}` }],
      also: ['formula-valid:*', 'measure-reach:*', 'perspective-closed:*', 'known-answer:*'],
    };
  }),
  flaw('related twice', ['paths'], (w) => {
    w.relate('count_branch_again', 'shelf count.branch code', 'branch.branch code');
    const fact = w.n('shelf count');
    return {
      broken: ['branch', 'district', 'region', 'branch plan'].map((t) => ({
        id: `path-single:${fact}->${w.n(t)}`,
      })),
      also: ['formula-valid:*', 'measure-reach:*'],
    };
  }),
  flaw('directly and over another', ['paths', 'branch', 'district'], (w) => {
    const regionOf = (row: Row) =>
      w.rows('district').find((d) => d['district code'] === row['district code'])?.['region no'] ?? null;
    w.addColumn('branch', ['region no', 'integer', 'reference'], regionOf);
    w.relate('branch_region', 'branch.region no', 'region.region no');
    return {
      broken: ['loan line', 'shelf count'].map((fact) => ({
        id: `path-single:${w.n(fact)}->${w.n('region')}`,
      })),
      also: [
        'measure-reach:*',
        'perspective-closed:*',
        'level-*:*Places*',
        'formula-valid:*',
        'reference-*:branch_region',
      ],
    };
  }),
  flaw('a table that looks itself up', ['paths', 'staff'], (w) => {
    w.relate('staff_manager', 'staff.manager no', 'staff.staff no');
    return {
      broken: [{ id: 'path-acyclic:staff_manager' }],
      also: ['reference-filled:staff_manager', 'path-single:*', 'formula-valid:*'],
    };
  }),
  flaw('a circle of three', ['paths', 'region'], (w) => {
    w.addColumn('region', ['main branch', 'text', 'reference'], (_, i) => `Bx0${i}`);
    w.relate('region_branch', 'region.main branch', 'branch.branch code');
    return {
      broken: ['region_branch', 'branch_district', 'district_region'].map((name) => ({
        id: `path-acyclic:${name}`,
      })),
      also: [
        'path-single:*',
        'measure-reach:*',
        'perspective-closed:*',
        'formula-valid:*',
        'level-*',
        'known-answer:*',
      ],
    };
  }),
];

const audiences: Flaw[] = [
  flaw('a measure beside a dimension that does not reach it', ['perspectives'], (w) => {
    const [card, calendar] = [w.n('card'), w.n('calendar')];
    w.perspectives.push({ name: 'Money', tables: [calendar, card], measures: ['Loans', 'Granted'] });
    return { broken: [{ id: `measure-reach:Granted<-${card}`, warns: true }] };
  }),
  ...(
    [
      ['a table that is not there', (p) => p.tables.push('nowhere')],
      ['a column that is not there', (p, w) => (p.columns = [w.p('title.isbn')])],
      ['a measure that is not there', (p) => p.measures!.push('Lones')],
      ['a hierarchy that is not there', (p, w) => p.hierarchies!.push(`${w.n('branch')}.Towers`)],
      ['a hidden table', (_, w) => (w.of('region').table.hidden = true)],
      [
        'a hidden column',
        (p, w) => ((p.columns = [w.p('card.holder')]), (w.column('card.holder').hidden = true)),
      ],
      ['a hidden measure', (_, w) => (w.measures.find((m) => m.name === 'Fines')!.hidden = true)],
      [
        'a hierarchy without the table of a level',
        (p, w) => (p.tables = p.tables.filter((t) => t !== w.n('region'))),
      ],
      ['a measure that nothing reaches', (p) => p.measures!.push('Visitors')],
      ['a dimension without a measure', (p, w) => p.tables.push(w.n('desk'))],
    ] as [string, (p: World['perspectives'][number], w: World) => unknown][]
  ).map(([name, open]) =>
    flaw(`perspective: ${name}`, ['perspectives'], (w) => {
      // A second one, which has not to do with the first: it shows less.
      const p = w.perspectives[0]!;
      open(p, w);
      if (name.startsWith('a measure that nothing')) p.tables = p.tables.filter((t) => t !== w.n('calendar'));
      if (name.startsWith('a measure that nothing'))
        p.hierarchies = p.hierarchies!.filter((h) => !String(h).endsWith('Periods'));
      return { broken: [{ id: 'perspective-closed:Counter' }], also: ['measure-reach:*'] };
    }),
  ),
];

const snapshots: Flaw[] = (
  [
    ['plainly', (w) => `sum(${w.f('shelf count.on shelf')})`],
    ['added per month', (w) => `sum(sum(${w.f('shelf count.on shelf')}) per ${w.f('calendar.month')})`],
    ['an average of branches', (w) => `avg(sum(${w.f('shelf count.on shelf')}) per ${w.f('branch.town')})`],
    [
      'a half at last',
      (w) =>
        `sum(${w.f('shelf count.missing')}) / (sum(${w.f('shelf count.on shelf')}) at last ${w.f('shelf count.counted on')})`,
    ],
    ['over a year', (w) => `sum(${w.f('shelf count.on shelf')}) over (year to date)`],
    ['at the last year', (w) => `sum(${w.f('shelf count.on shelf')}) at last ${w.f('calendar.year')}`],
    [
      'with a filter',
      (w) =>
        `round(sum(${w.f('shelf count.on shelf')}) filter (where ${w.f('shelf count.missing')} > 2) / 7, 1)`,
    ],
  ] as [string, (w: World) => string][]
).map(([name, formula]) =>
  flaw(`snapshot: ${name}`, [`snapshot ${name}`], (w) => {
    const added = w.measure(`Stock ${name}`, formula(w));
    const on = w.measure(`Twice stock ${name}`, `"${added}" * 2`);
    return { broken: [added, on].map((m) => ({ id: `snapshot-measure:${m}` })) };
  }),
);

const sides: Flaw[] = (
  [
    ['a difference', () => '"Granted" - "Fines"'],
    ['of aggregates', (w) => `sum(${w.f('visit.visitors')}) + sum(${w.f('loan line.renewals')})`],
    ['in round', () => 'round(100 * ("Visitors" + "Fines"), 0)'],
    ['one side only', () => 'coalesce("Granted", 0) - "Fines"'],
    ['with a count', (w) => `count(${w.q('loan line')}) + "Visitors"`],
  ] as [string, (w: World) => string][]
).map(([name, formula]) =>
  flaw(`missing side: ${name}`, [`side ${name}`], (w) => ({
    broken: [{ id: `missing-side:${w.measure(`Together, ${name}`, formula(w))}`, warns: true }],
  })),
);

/** Values that are not of their column's type, on some rows. */
const misfit = (name: string, column: string, text: (row: Row) => string, also: string[] = []): Flaw =>
  flaw(
    `type: ${name}`,
    [
      column,
      ...(column === 'loan line.fine' ? ['known answer'] : []),
      ...(column.startsWith('card') ? ['card'] : []),
    ],
    (w) => {
      const [table, own] = column.split('.') as [string, string];
      const n = changeSome(w, table, 3, (row) => (row[own] = text(row)));
      return {
        broken: [{ id: `type-holds:${w.n(table)}.${w.n(own)}`, against: n }],
        also: ['known-answer:*', ...also],
      };
    },
  );

const types: Flaw[] = [
  misfit('a word in a number', 'loan line.renewals', () => 'twice'),
  misfit('a decimal in a whole number', 'visit.visitors', () => '12.5'),
  misfit('more decimals', 'loan line.fine', () => '1.005'),
  misfit('more digits', 'title.price', () => '123456.00'),
  misfit('too large', 'shelf count.on shelf', () => '92233720368547758080'),
  misfit('no such day', 'branch.opened on', () => '2025-02-30', ['reference-filled:branch_opened_on']),
  misfit('a day of another pattern', 'card.valid to', () => '31/12/2025', ['validity-disjoint:*']),
  misfit('no such moment', 'loan line.entered at', (row) => `${row['lent on']!} 25:00:00`),
];

const keys: Flaw[] = [
  flaw('key: rows twice', ['title', 'key title'], (w) => {
    const n = w.random.between(1, 3);
    w.rows('title').push(...w.random.some(w.rows('title'), n).map((row) => ({ ...row })));
    const also = ['cardinality:loan_title', 'cardinality:title_author_title', 'label-unique:*'];
    return { broken: [{ id: `key-unique:${w.n('title')}`, against: 2 * n, distinct: n }], also };
  }),
  flaw('key: three of one', ['author'], (w) => {
    const row = w.row('author');
    w.rows('author').push({ ...row, 'full name': 'Somebody' }, { ...row, 'full name': 'Somebody else' });
    return {
      broken: [{ id: `key-unique:${w.n('author')}`, against: 3, distinct: 1 }],
      also: ['cardinality:title_author_author'],
    };
  }),
  flaw('key: of two columns', ['loan line keys', 'known answer'], (w) => {
    const row = w.row('loan line');
    w.rows('loan line').push({ ...row, fine: '0.00' });
    return {
      broken: [{ id: `key-unique:${w.n('loan line')}`, against: 2, distinct: 1 }],
      also: ['known-answer:*', 'reference-filled:*'],
    };
  }),
  flaw('key: empty', ['author'], (w) => {
    w.rows('author').push(
      { 'author code': null, 'full name': 'Nobody' },
      { 'author code': null, 'full name': 'No one' },
    );
    return { broken: [{ id: `key-filled:${w.n('author')}`, against: 2 }] };
  }),
  flaw('key: a part empty', ['loan line keys'], (w) => {
    const n = changeSome(w, 'loan line', 4, (row) => (row['line no'] = null));
    return { broken: [{ id: `key-filled:${w.n('loan line')}`, against: n }] };
  }),
];

/** A column of numbers that is used as a quantity and is none. */
const noQuantity = (name: string, column: string, value: (w: World, i: number) => string): Flaw =>
  flaw(`no quantity: ${name}`, ['no quantity'], (w) => {
    w.addColumn('loan line', [column, 'integer', 'quantity'], (_, i) => value(w, i));
    return { broken: [{ id: `not-a-quantity:${w.n('loan line')}.${w.n(column)}`, warns: true }] };
  });

const quantities: Flaw[] = [
  noQuantity('a bar code', 'bar code', (w) => String(w.random.between(1_000_000, 9_999_999))),
  noQuantity('a telephone', 'telephone', (w) => String(w.random.between(100_000, 999_999))),
  noQuantity('numbers that all differ', 'deposit', (_, i) => String(40_000_017 + 13 * i)),
  noQuantity('leading zeros', 'slip', (w) => String(w.random.below(99_999)).padStart(6, '0')),
  flaw('no quantity: a reference', ['no quantity'], (w) => {
    w.column('loan line.title no').use = 'quantity';
    return { broken: [{ id: `not-a-quantity:${w.n('loan line')}.${w.n('title no')}`, warns: true }] };
  }),
  flaw('no quantity: a key', ['no quantity'], (w) => {
    w.column('card.card version id').use = 'quantity';
    return { broken: [{ id: `not-a-quantity:${w.n('card')}.${w.n('card version id')}`, warns: true }] };
  }),
];

const members: Flaw[] = [
  flaw('label of two', ['branch'], (w) => {
    const [a, b] = w.random.some(w.rows('branch'), 2) as [Row, Row];
    a.name = b.name!;
    return {
      broken: [{ id: `label-unique:${w.n('branch')}.${w.n('name')}`, against: 2, distinct: 1, warns: true }],
      also: ['level-single-parent:*Towns.Branch'],
    };
  }),
  flaw('a town in two counties', ['branch'], (w) => {
    w.row('branch').county = 'County of another';
    return { broken: [{ id: `level-single-parent:${w.n('branch')}.Towns.Town`, against: 2, distinct: 1 }] };
  }),
  flaw('a district in two regions', ['district'], (w) => {
    // District 0 lies in region 1; another of its name in region 3.
    w.rows('district')[2]!.name = 'District 0';
    return {
      broken: [
        { id: `level-single-parent:${w.n('branch')}.Places.District`, against: 6, distinct: 1 },
        { id: `label-unique:${w.n('district')}.${w.n('name')}`, against: 2, warns: true },
      ],
    };
  }),
  flaw('a level without a member', ['branch'], (w) => {
    const n = changeSome(w, 'branch', 5, (row) => (row.county = null));
    return { broken: [{ id: `level-filled:${w.n('branch')}.Towns.County`, against: n, warns: true }] };
  }),
  flaw('its own manager', ['staff'], (w) => {
    const leaf = w.rows('staff')[19]!;
    leaf['manager no'] = leaf['staff no']!;
    return { broken: [{ id: `tree-acyclic:${w.n('staff')}.Line of report`, against: 1 }] };
  }),
  flaw('a loop with others below it', ['staff'], (w) => {
    // 101 is the top of all: two below it lead to each other, with whoever is below them.
    const rows = w.rows('staff');
    rows[1]!['manager no'] = '104';
    const below = (at: number): number =>
      1 +
      rows
        .filter((r) => r['manager no'] === String(101 + at) && r !== rows[1])
        .reduce((n, r) => n + below(Number(r['staff no']) - 101), 0);
    return { broken: [{ id: `tree-acyclic:${w.n('staff')}.Line of report`, against: below(1) }] };
  }),
  flaw('an unknown manager', ['staff'], (w) => {
    w.rows('staff')[18]!['manager no'] = '777';
    w.rows('staff')[17]!['manager no'] = '777';
    return { broken: [{ id: `tree-parent-known:${w.n('staff')}.Line of report`, against: 2, distinct: 1 }] };
  }),
  flaw('two of one name', ['staff'], (w) => {
    w.rows('staff')[4]!['full name'] = 'Person 7';
    return {
      broken: [
        { id: `tree-label-unique:${w.n('staff')}.Line of report`, against: 2, distinct: 1, warns: true },
      ],
      also: ['label-unique:*'],
    };
  }),
];

const days: Flaw[] = [
  flaw('a missing day', ['calendar'], (w) => {
    const at = w.random.between(DAY_WITHOUT_FACTS, DAY_WITHOUT_FACTS + 20);
    w.rows('calendar').splice(at, 1);
    return { broken: [{ id: `calendar-continuous:${w.n('calendar')}`, against: 1 }], also: OF_DAYS };
  }),
  flaw('a missing week', ['calendar'], (w) => {
    w.rows('calendar').splice(w.random.between(20, 300), 7);
    return { broken: [{ id: `calendar-continuous:${w.n('calendar')}`, against: 7 }], also: OF_DAYS };
  }),
  flaw('a day twice', ['calendar'], (w) => {
    w.rows('calendar').push({ ...w.row('calendar') });
    return {
      broken: [
        { id: `calendar-continuous:${w.n('calendar')}`, against: 2 },
        { id: `key-unique:${w.n('calendar')}`, against: 2 },
      ],
      also: [...OF_DAYS, 'cardinality:*'],
    };
  }),
  flaw('days before and after the calendar', ['visit days'], (w) => {
    const n = changeSome(
      w,
      'visit',
      4,
      (row, i) => (row['visited on'] = i % 2 ? '2024-12-31' : dayText(400)),
    );
    const also = ['reference-complete:visit_calendar', 'key-unique:*'];
    return { broken: [{ id: 'calendar-covers:visit_calendar', against: n, distinct: Math.min(2, n) }], also };
  }),
  flaw('counts before the calendar, beside a measure by its months', ['shelf days'], (w) => {
    // They are in no month: that the rows of each month have one date holds all the same.
    w.measure(
      'Shelves of the last month',
      `sum(${w.f('shelf count.on shelf')}) at last ${w.f('calendar.month')}`,
    );
    const counted = 'shelf count';
    const [a, b] = w.rows(counted) as [Row, Row];
    [a['counted on'], b['counted on']] = ['2024-11-30', '2024-12-31'];
    return {
      broken: [{ id: 'calendar-covers:count_calendar', against: 2, distinct: 2 }],
      also: ['reference-complete:count_calendar'],
    };
  }),
  flaw('no day to part by', ['loan days'], (w) => {
    const n = changeSome(w, 'loan line', 6, (row) => (row['lent on'] = null));
    return {
      broken: [
        { id: `partition-covers:${w.n('loan line')}`, against: n },
        { id: 'reference-filled:loan_calendar', against: n, warns: true },
      ],
    };
  }),
];
/** No fact has a day from here on: its last days are left to the calendar alone. */
const DAY_WITHOUT_FACTS = 370;
const OF_DAYS = ['reference-complete:*', 'calendar-covers:*', 'level-*', 'known-answer:*'];

/** The versions of a card that has several, in their order. */
function versions(w: World): Row[] {
  const all = w.rows('card');
  const first = all.find((row, i) => all[i + 1]?.['card no'] === row['card no'])!;
  return all.filter((row) => row['card no'] === first['card no']);
}
const shifted = (day: string, by: number): string =>
  new Date(Date.parse(day) + by * 86_400_000).toISOString().slice(0, 10);

const intervals: Flaw[] = [
  flaw('versions that touch', ['card'], (w) => {
    const [first] = versions(w);
    first!['valid to'] = shifted(first!['valid to']!, 1);
    return { broken: [{ id: `validity-disjoint:${w.n('card')}`, against: 2 }] };
  }),
  flaw('a version without an end', ['card'], (w) => {
    const all = versions(w);
    all[0]!['valid to'] = null;
    return { broken: [{ id: `validity-disjoint:${w.n('card')}`, against: all.length }] };
  }),
  flaw('a gap between versions', ['card'], (w) => {
    const [first] = versions(w);
    first!['valid to'] = shifted(first!['valid to']!, -3);
    return { broken: [{ id: `validity-disjoint:${w.n('card')}`, against: 2, warns: true }] };
  }),
];

/** Rows of a title with several authors. */
function sharesOf(w: World): Row[] {
  const all = w.rows('title author');
  const of = all.find((row) => row.share === '0.3334')!['title no'];
  return all.filter((row) => row['title no'] === of);
}

const weights: Flaw[] = [
  flaw('a share too large', ['title author'], (w) => {
    sharesOf(w)[0]!.share = '0.3335';
    return { broken: [{ id: `bridge-weights:${w.n('title author')}`, against: 3, distinct: 1 }] };
  }),
  flaw('a share that lacks', ['title author'], (w) => {
    const rows = w.rows('title author');
    rows.splice(rows.indexOf(sharesOf(w)[1]!), 1);
    return { broken: [{ id: `bridge-weights:${w.n('title author')}`, against: 2, distinct: 1 }] };
  }),
];

const answers: Flaw[] = [
  flaw('an answer off by a cent', ['known answer'], (w) => {
    const [row] = w.knownAnswers[0]!.rows;
    row![0] = (Number(row![0]) + 0.01).toFixed(2);
    return { broken: [{ id: 'known-answer:All fines', against: 1 }] };
  }),
  flaw('an answer with another row', ['known answer'], (w) => {
    const of = w.knownAnswers[0]!;
    of.rows.push([...of.rows[0]!]);
    return { broken: [{ id: 'known-answer:All fines', against: 1 }] };
  }),
  flaw('a waiver that has ended', ['author'], (w) => {
    w.rows('author')[7]!['full name'] = w.rows('author')[3]!['full name']!;
    const claim = `label-unique:${w.n('author')}.${w.n('full name')}`;
    w.waivers.push({ claim, reason: 'until they are told apart', until: '2020-01-01' });
    return { broken: [{ id: claim, against: 2, warns: true }] };
  }),
];

export const FLAWS: readonly Flaw[] = [
  ...formulas,
  ...names,
  ...references,
  ...paths,
  ...audiences,
  ...snapshots,
  ...sides,
  ...types,
  ...keys,
  ...quantities,
  ...members,
  ...days,
  ...intervals,
  ...weights,
  ...answers,
];
