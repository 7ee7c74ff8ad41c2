import type { Measure, Model, ModelColumn, Relationship, Table } from '@crease/core/model';
import { columnPath, quoteName, quotePath } from '@crease/core/formula';
import { Random } from './random.ts';
import { fileOf } from '@crease/core/model';

/** Rows as texts of a file, by plain names of columns; null is the empty field. */
export type Row = Record<string, string | null>;

/** A table with its rows; `of` is its plain name, by which flaws speak of it. */
export interface PlantedTable {
  readonly of: string;
  readonly table: Table;
  readonly rows: Row[];
}

type Column = readonly [name: string, type: string, use?: ModelColumn['use']];

/** How names are written, from plain words. */
const STYLES: readonly ((plain: string) => string)[] = [
  (plain) => plain.replaceAll(' ', '_'),
  (plain) => plain,
  (plain) => plain.toUpperCase().replaceAll(' ', '_'),
  (plain) => plain.replaceAll(' ', '-'),
  (plain) => plain.replace(/ (\w)/g, (_, letter: string) => letter.toUpperCase()),
  (plain) => plain.replaceAll(' ', '_').replaceAll('o', 'ö').replaceAll('a', 'å'),
];

const DAYS = 400;
const FIRST = Date.UTC(2025, 0, 1);
export const dayText = (i: number): string => new Date(FIRST + i * 86_400_000).toISOString().slice(0, 10);
const quarterOf = (day: string): string => `${day.slice(0, 4)}-Q${Math.ceil(Number(day.slice(5, 7)) / 3)}`;
const count = (n: number): number[] => Array.from({ length: n }, (_, i) => i);

/**
 * A small consortium of libraries, sound in all that its model claims, with names in one style or another.
 */
export class World {
  readonly random: Random;
  readonly tables = new Map<string, PlantedTable>();
  readonly relationships: Relationship[] = [];
  readonly hierarchies: NonNullable<Model['hierarchies']> = [];
  readonly measures: Measure[] = [];
  readonly perspectives: NonNullable<Model['perspectives']> = [];
  readonly knownAnswers: NonNullable<Model['knownAnswers']> = [];
  readonly families: NonNullable<Model['periodFamilies']> = [];
  readonly waivers: NonNullable<Model['waivers']> = [];
  private readonly style: (plain: string) => string;

  constructor(readonly seed: number) {
    this.random = new Random(seed);
    this.style = STYLES[seed % STYLES.length]!;
    this.addDimensions();
    this.addFacts();
    this.addModel();
  }

  /** A plain name as this world writes it. */
  n(plain: string): string {
    return this.style(plain);
  }

  /** A column in a formula, from `table.column`. */
  f(plain: string): string {
    const [table, column] = plain.split('.') as [string, string];
    return quotePath(this.n(table), this.n(column));
  }

  /** A column in a model file outside of formulas. */
  p(plain: string): string {
    const [table, column] = plain.split('.') as [string, string];
    return columnPath(this.n(table), this.n(column));
  }

  q(plain: string): string {
    return quoteName(this.n(plain));
  }

  of(plain: string): PlantedTable {
    return this.tables.get(plain)!;
  }

  rows(plain: string): Row[] {
    return this.of(plain).rows;
  }

  row(plain: string): Row {
    return this.random.one(this.rows(plain));
  }

  column(plain: string): ModelColumn {
    const [table, column] = plain.split('.') as [string, string];
    return this.of(table).table.columns.find((c) => c.name === this.n(column))!;
  }

  measure(name: string, formula: string): string {
    this.measures.push({ name, formula });
    return name;
  }

  relate(name: string, from: string, to: string, rest: Partial<Relationship> = {}): Relationship {
    const end = (text: string) => {
      const [table, columns] = text.split('.') as [string, string];
      return { table: this.n(table), columns: columns.split('+').map((c) => this.n(c)) };
    };
    const made = { name, from: end(from), to: end(to), ...rest };
    this.relationships.push(made);
    return made;
  }

  model(): Model {
    return {
      crease: 1,
      name: `planted-${this.seed}`,
      asOf: dayText(DAYS - 40),
      tables: [...this.tables.values()].map(({ table }) => table),
      relationships: this.relationships,
      hierarchies: this.hierarchies,
      calendars: [{ table: this.n('calendar'), day: this.n('day') }],
      measures: this.measures,
      periodFamilies: this.families,
      perspectives: this.perspectives,
      knownAnswers: this.knownAnswers,
      waivers: this.waivers,
    };
  }

  /** The files of the tables, by name. */
  files(): [file: string, text: string][] {
    const quoted = (cell: string | null): string => {
      if (cell === null) return '';
      return /[",\n\r]/.test(cell) || cell === '' ? `"${cell.replaceAll('"', '""')}"` : cell;
    };
    return [...this.tables.values()].flatMap(({ table, rows, of }): [string, string][] => {
      const source = fileOf(table);
      if (!source) return [];
      const plain = this.columnsOf.get(of)!;
      const lines = [
        plain.map((c) => quoted(this.n(c))),
        ...rows.map((row) => plain.map((c) => quoted(row[c] ?? null))),
      ];
      return [[source.file, lines.map((line) => `${line.join(',')}\n`).join('')]];
    });
  }

  /** The columns of each file in their order. */
  readonly columnsOf = new Map<string, string[]>();

  /** Adds a column to a table, with a value for each row. */
  addColumn(
    table: string,
    [name, type, use = 'attribute']: Column,
    value: (row: Row, i: number) => string | null,
  ): ModelColumn {
    const column: ModelColumn = { name: this.n(name), type, use };
    this.of(table).table.columns.push(column);
    this.columnsOf.get(table)!.push(name);
    this.rows(table).forEach((row, i) => (row[name] = value(row, i)));
    return column;
  }

  private add(
    of: string,
    role: Table['role'],
    key: string,
    columns: readonly Column[],
    rows: Row[],
    rest: Partial<Table> = {},
  ): void {
    const keys = key.split('+');
    const table: Table = {
      name: this.n(of),
      role,
      source: { file: `${of.replaceAll(' ', '_')}.csv` },
      key: keys.map((k) => this.n(k)),
      columns: columns.map(([name, type, use]) => ({
        name: this.n(name),
        type,
        use: use ?? (keys.includes(name) ? 'key' : 'attribute'),
      })),
      ...rest,
    };
    this.tables.set(of, { of, table, rows });
    this.columnsOf.set(
      of,
      columns.map(([name]) => name),
    );
  }

  private addDimensions(): void {
    const { random } = this;
    this.add(
      'calendar',
      'dimension',
      'day',
      [
        ['day', 'date'],
        ['year', 'integer'],
        ['quarter', 'text'],
        ['month', 'text'],
      ],
      count(DAYS).map((i) => {
        const day = dayText(i);
        return { day, year: day.slice(0, 4), quarter: quarterOf(day), month: day.slice(0, 7) };
      }),
    );
    this.add(
      'region',
      'dimension',
      'region no',
      [
        ['region no', 'integer'],
        ['name', 'text'],
      ],
      [
        { 'region no': '1', name: 'North' },
        { 'region no': '2', name: 'South' },
        { 'region no': '3', name: 'Isles' },
      ],
    );
    this.add(
      'district',
      'dimension',
      'district code',
      [
        ['district code', 'text'],
        ['name', 'text'],
        ['region no', 'integer', 'reference'],
      ],
      count(8).map((i) => ({
        'district code': `D${i}`,
        name: `District ${i}`,
        'region no': String(1 + (i % 3)),
      })),
      { label: this.n('name') },
    );
    this.add(
      'branch',
      'dimension',
      'branch code',
      [
        ['branch code', 'text'],
        ['name', 'text'],
        ['town', 'text'],
        ['county', 'text'],
        ['district code', 'text', 'reference'],
        ['opened on', 'date'],
        ['note', 'text'],
      ],
      count(24).map((i) => ({
        'branch code': `Bx${String(i).padStart(2, '0')}`,
        name: `Branch ${i}`,
        town: `Town ${i % 12}`,
        county: `County ${i % 4}`,
        'district code': `D${i % 8}`,
        'opened on': dayText(random.below(DAYS)),
        note: random.chance(0.4) ? `open late, says "the clerk"\nand ${i}` : null,
      })),
      { label: this.n('name') },
    );
    this.add(
      'branch plan',
      'dimension',
      'branch code',
      [
        ['branch code', 'text'],
        ['floors', 'integer', 'attribute'],
      ],
      count(24).map((i) => ({
        'branch code': `Bx${String(i).padStart(2, '0')}`,
        floors: String(1 + (i % 4)),
      })),
    );
    this.add(
      'desk',
      'dimension',
      'branch code+desk no',
      [
        ['branch code', 'text'],
        ['desk no', 'integer'],
        ['kind', 'text'],
      ],
      count(48).map((i) => ({
        'branch code': `Bx${String(i >> 1).padStart(2, '0')}`,
        'desk no': String(1 + (i & 1)),
        kind: i & 1 ? 'returns' : 'loans',
      })),
    );
    this.add(
      'staff',
      'dimension',
      'staff no',
      [
        ['staff no', 'integer'],
        ['full name', 'text'],
        ['manager no', 'integer', 'reference'],
      ],
      count(20).map((i) => ({
        'staff no': String(101 + i),
        'full name': `Person ${i}`,
        'manager no': i === 0 ? null : String(101 + ((i - 1) >> 1)),
      })),
      { label: this.n('full name') },
    );
    const versions = count(30).flatMap((card): Row[] => {
      const starts = [0, 40 + random.below(100), 200 + random.below(100)].slice(0, random.between(1, 3));
      return starts.map((start, k) => ({
        'card no': `C${1000 + card}`,
        holder: `Holder ${card}`,
        'valid from': dayText(start),
        'valid to': k + 1 < starts.length ? dayText(starts[k + 1]! - 1) : null,
      }));
    });
    this.add(
      'card',
      'dimension',
      'card version id',
      [
        ['card version id', 'integer'],
        ['card no', 'text'],
        ['holder', 'text'],
        ['valid from', 'date'],
        ['valid to', 'date'],
      ],
      versions.map((row, i) => ({ 'card version id': String(9001 + i), ...row })),
      { validity: { of: [this.n('card no')], from: this.n('valid from'), to: this.n('valid to') } },
    );
    this.add(
      'title',
      'dimension',
      'title no',
      [
        ['title no', 'integer'],
        ['name', 'text'],
        ['class', 'text'],
        ['price', 'decimal(7,2)', 'quantity'],
      ],
      count(25).map((i) => ({
        'title no': String(501 + i),
        name: `Title ${i}`,
        class: random.one(['Novel', 'Poetry', 'History']),
        price: `${random.between(5, 60)}.${random.one(['00', '50', '95'])}`,
      })),
      { label: this.n('name') },
    );
    this.add(
      'author',
      'dimension',
      'author code',
      [
        ['author code', 'text'],
        ['full name', 'text'],
      ],
      count(15).map((i) => ({ 'author code': `A-${i}`, 'full name': `Author ${i}` })),
      { label: this.n('full name') },
    );
    const shares = [['1.0000'], ['0.5000', '0.5000'], ['0.3334', '0.3333', '0.3333']];
    this.add(
      'title author',
      'bridge',
      'title no+author code',
      [
        ['title no', 'integer', 'reference'],
        ['author code', 'text', 'reference'],
        ['share', 'decimal(5,4)', 'quantity'],
      ],
      count(25).flatMap((i) =>
        shares[i % 3]!.map((share, k) => ({
          'title no': String(501 + i),
          'author code': `A-${(i + 4 * k) % 15}`,
          share,
        })),
      ),
      { weight: { column: this.n('share'), per: [this.n('title no')] } },
    );
  }

  private addFacts(): void {
    const { random } = this;
    const pick = (table: string, column: string): string => this.row(table)[column]!;
    const lines: Row[] = [];
    for (let receipt = 0; lines.length < 160; receipt++) {
      const day = random.below(DAYS - 60);
      for (let line = 1; line <= random.between(1, 3); line++)
        lines.push({
          'receipt no': `R${10_000 + receipt}`,
          'line no': String(line),
          'lent on': dayText(day),
          'returned on': random.chance(0.8) ? dayText(day + random.between(1, 50)) : null,
          'branch code': pick('branch', 'branch code'),
          'card version id': pick('card', 'card version id'),
          'title no': pick('title', 'title no'),
          'staff no': pick('staff', 'staff no'),
          renewals: String(random.below(4)),
          fine: `${random.below(9)}.${String(random.below(100)).padStart(2, '0')}`,
          'entered at': `${dayText(day)} 10:${String(random.below(60)).padStart(2, '0')}:00`,
        });
    }
    this.add(
      'loan line',
      'fact',
      'receipt no+line no',
      [
        ['receipt no', 'text', 'attribute'],
        ['line no', 'integer'],
        ['lent on', 'date', 'reference'],
        ['returned on', 'date', 'reference'],
        ['branch code', 'text', 'reference'],
        ['card version id', 'integer', 'reference'],
        ['title no', 'integer', 'reference'],
        ['staff no', 'integer', 'reference'],
        ['renewals', 'integer', 'quantity'],
        ['fine', 'decimal(9,2)', 'quantity'],
        ['entered at', 'timestamp'],
      ],
      lines,
      { partition: { by: this.n('lent on'), every: 'month' } },
    );
    const ends = this.rows('calendar').filter((r, i, all) => all[i + 1] && all[i + 1]!.month !== r.month);
    this.add(
      'shelf count',
      'fact',
      'counted on+branch code',
      [
        ['counted on', 'date', 'reference'],
        ['branch code', 'text', 'reference'],
        ['on shelf', 'integer', 'quantity'],
        ['missing', 'integer', 'quantity'],
      ],
      ends.flatMap((end) =>
        this.rows('branch').map((b) => ({
          'counted on': end.day!,
          'branch code': b['branch code']!,
          'on shelf': String(random.between(500, 900)),
          missing: String(random.below(9)),
        })),
      ),
      { snapshot: this.n('counted on') },
    );
    this.add(
      'budget',
      'fact',
      'quarter+district code',
      [
        ['quarter', 'text', 'reference'],
        ['district code', 'text', 'reference'],
        ['amount', 'decimal(11,2)', 'quantity'],
      ],
      ['2025-Q1', '2025-Q2', '2025-Q3', '2025-Q4'].flatMap((quarter) =>
        this.rows('district').map((d) => ({
          quarter,
          'district code': d['district code']!,
          amount: `${random.between(1000, 90_000)}.${String(random.below(100)).padStart(2, '0')}`,
        })),
      ),
    );
    const visits = this.random.some(
      count(DAYS - 60).flatMap((d) => this.rows('desk').map((desk) => [d, desk] as const)),
      100,
    );
    this.add(
      'visit',
      'fact',
      'visited on+branch code+desk no',
      [
        ['visited on', 'date', 'reference'],
        ['branch code', 'text', 'reference'],
        ['desk no', 'integer', 'reference'],
        ['visitors', 'integer', 'quantity'],
      ],
      visits.map(([d, desk]) => ({
        'visited on': dayText(d),
        'branch code': desk['branch code']!,
        'desk no': desk['desk no']!,
        visitors: String(random.between(1, 300)),
      })),
    );
  }

  private addModel(): void {
    this.relate('district_region', 'district.region no', 'region.region no');
    this.relate('branch_district', 'branch.district code', 'district.district code');
    this.relate('branch_branch_plan', 'branch.branch code', 'branch plan.branch code', {
      cardinality: 'one-to-one',
    });
    this.relate('branch_opened_on', 'branch.opened on', 'calendar.day', { default: false });
    this.relate('loan_calendar', 'loan line.lent on', 'calendar.day');
    this.relate('loan_returned_on', 'loan line.returned on', 'calendar.day', { default: false });
    this.relate('loan_branch', 'loan line.branch code', 'branch.branch code');
    this.relate('loan_card', 'loan line.card version id', 'card.card version id');
    this.relate('loan_title', 'loan line.title no', 'title.title no');
    this.relate('loan_staff', 'loan line.staff no', 'staff.staff no');
    this.relate('title_author_title', 'title author.title no', 'title.title no');
    this.relate('title_author_author', 'title author.author code', 'author.author code');
    this.relate('count_calendar', 'shelf count.counted on', 'calendar.day');
    this.relate('count_branch', 'shelf count.branch code', 'branch.branch code');
    this.relate('budget_calendar', 'budget.quarter', 'calendar.quarter', { cardinality: 'many-to-level' });
    this.relate('budget_district', 'budget.district code', 'district.district code');
    this.relate('visit_calendar', 'visit.visited on', 'calendar.day');
    this.relate('visit_desk', 'visit.branch code+desk no', 'desk.branch code+desk no');

    const level = (name: string, column: string, key?: string) => ({
      name,
      column,
      ...(key === undefined ? {} : { key }),
    });
    this.hierarchies.push(
      {
        name: 'Places',
        table: this.n('branch'),
        levels: [
          level('Region', this.p('region.name')),
          level('District', this.p('district.name')),
          level('Branch', this.n('name'), this.n('branch code')),
        ],
      },
      {
        name: 'Towns',
        table: this.n('branch'),
        levels: [
          level('County', this.n('county')),
          level('Town', this.n('town')),
          level('Branch', this.n('name')),
        ],
      },
      {
        name: 'Periods',
        table: this.n('calendar'),
        levels: [
          level('Year', this.n('year')),
          level('Quarter', this.n('quarter')),
          level('Month', this.n('month')),
          level('Day', this.n('day')),
        ],
      },
      {
        name: 'Line of report',
        table: this.n('staff'),
        parent: this.n('manager no'),
        label: this.n('full name'),
      },
    );

    const { measure } = { measure: this.measure.bind(this) };
    measure('Loans', `count(${this.q('loan line')})`);
    measure('Fines', `sum(${this.f('loan line.fine')})`);
    measure('Fine per loan', '"Fines" / "Loans"');
    measure('Titles lent', `count(distinct ${this.f('loan line.title no')})`);
    measure('Share of loans', `"Loans" / ("Loans" ignoring ${this.q('branch')})`);
    measure(
      'On shelf at the end',
      `sum(${this.f('shelf count.on shelf')}) at last ${this.f('shelf count.counted on')}`,
    );
    measure(
      'Missing on average',
      `avg(sum(${this.f('shelf count.missing')}) per ${this.f('calendar.month')})`,
    );
    measure('Most on shelf', `max(${this.f('shelf count.on shelf')})`);
    measure('Granted', `sum(${this.f('budget.amount')})`);
    measure('Granted left', 'coalesce("Granted", 0) - coalesce("Fines", 0)');
    measure('Visitors', `sum(${this.f('visit.visitors')})`);
    this.families.push({ measure: 'Loans', periods: ['year to date'] });
    this.perspectives.push({
      name: 'Counter',
      tables: ['calendar', 'branch', 'district', 'region', 'title'].map((t) => this.n(t)),
      hierarchies: [columnPath(this.n('branch'), 'Places'), columnPath(this.n('calendar'), 'Periods')],
      measures: ['Loans', 'Fines', 'Fine per loan'],
    });
    const cents = this.rows('loan line').reduce((sum, row) => sum + Math.round(Number(row.fine) * 100), 0);
    this.knownAnswers.push({
      name: 'All fines',
      query: { measures: ['Fines', 'Loans'] },
      rows: [[(cents / 100).toFixed(2), this.rows('loan line').length]],
    });
  }
}
