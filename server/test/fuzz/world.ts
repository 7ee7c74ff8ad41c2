import type { Model } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import type { Random } from './random.ts';

/** A cell of a table as a file writes it. */
export type Cell = null | boolean | number | string;

/** A model and the rows of its tables, as plain data that can be printed and cut down. */
export interface World {
  readonly model: Model;
  readonly rows: Readonly<Record<string, readonly Readonly<Record<string, Cell>>[]>>;
}

const DAY = 86_400_000;
const isoDay = (days: number): string => new Date(days * DAY).toISOString().slice(0, 10);
const FIRST_DAY = 20_000; // in October 2024

/**
 * A library in small: loans and visits, holds that refer to months only, a snapshot of copies; branches in
 * districts, titles with authors over a bridge, subjects by value. References dangle and are null, and now
 * and then a key stands twice.
 */
export function makeWorld(random: Random): World {
  const days = Array.from({ length: random.int(20, 90) }, (_, i) => FIRST_DAY + i * random.int(1, 2)).filter(
    () => random.chance(0.9),
  );
  const unique = [...new Set(days)].sort((a, b) => a - b);
  // Now and then a key stands twice: then the first row is the partner.
  const ids = (count: number) =>
    Array.from({ length: count }, (_, i) => (i > 0 && random.chance(0.05) ? i : i + 1));
  const [districts, branches, titles, authors] = [
    random.int(1, 3),
    random.int(1, 5),
    random.int(1, 8),
    random.int(1, 4),
  ];
  const reference = (count: number): Cell =>
    random.chance(0.08) ? null : random.chance(0.06) ? 99 : random.int(1, count);
  const text = (list: readonly string[]): Cell => (random.chance(0.1) ? null : random.pick(list));
  const day = (): Cell =>
    random.chance(0.06)
      ? null
      : isoDay(random.chance(0.05) ? 30_000 : random.pick(unique.length ? unique : [FIRST_DAY]));
  const money = (): Cell => (random.chance(0.15) ? null : (random.int(-500, 5000) / 100).toFixed(2));
  const month = (days: number) => isoDay(days).slice(0, 7);
  const rows: World['rows'] = {
    district: ids(districts).map((id) => ({
      id,
      region: text(['North', 'South', 'east']),
      area: random.int(1, 50),
    })),
    branch: ids(branches).map((id) => ({
      id,
      district_id: reference(districts),
      name: text(['Ash', 'Elm', 'Oak', 'Über']),
      size: random.chance(0.2) ? null : random.int(0, 3),
    })),
    title: ids(titles).map((id) => ({
      id,
      class: text(['A', 'B', 'b']),
      price: money(),
      topic: text(['x', 'y', 'z']),
    })),
    author: ids(authors).map((id) => ({
      id,
      country: text(['FR', 'DE']),
      born: random.chance(0.2) ? null : random.int(1900, 1990),
    })),
    authorship: Array.from({ length: random.int(0, 12) }, () => ({
      title_id: reference(titles),
      author_id: reference(authors),
      share: random.int(1, 4),
    })),
    topic: Array.from({ length: random.int(0, 5) }, () => ({
      code: text(['x', 'y', 'w']),
      field: text(['Arts', 'Law']),
    })),
    calendar: unique.map((d) => ({
      day: isoDay(d),
      month: month(d),
      year: Number(isoDay(d).slice(0, 4)),
      weekday: ((d + 3) % 7) + 1,
    })),
    loan: Array.from({ length: random.int(0, 30) }, (_, i) => ({
      id: i + 1,
      branch_id: reference(branches),
      title_id: reference(titles),
      day: day(),
      due: day(),
      copies: random.chance(0.1) ? null : random.int(-1, 4),
      fine: money(),
      late: random.chance(0.2) ? null : random.chance(0.5),
    })),
    visit: Array.from({ length: random.int(0, 15) }, () => ({
      branch_id: reference(branches),
      day: day(),
      visitors: random.int(0, 40),
    })),
    stock: Array.from({ length: random.int(0, 20) }, () => ({
      branch_id: reference(branches),
      day: day(),
      copies: random.int(0, 20),
    })),
    hold: Array.from({ length: random.int(0, 12) }, () => ({
      branch_id: reference(branches),
      month: random.chance(0.1)
        ? null
        : random.chance(0.1)
          ? '1999-01'
          : month(random.pick(unique.length ? unique : [FIRST_DAY])),
      requests: random.int(0, 9),
    })),
  };
  return { model: makeModel(random), rows };
}

function makeModel(random: Random): Model {
  const column = (name: string, type: string, formula?: string) => ({
    name,
    type,
    ...(formula ? { formula } : {}),
  });
  const table = (
    name: string,
    role: string,
    key: string[] | undefined,
    columns: object[],
    more: object = {},
  ) => ({
    name,
    role,
    source: { file: `${name}.csv` },
    ...(key ? { key } : {}),
    columns,
    ...more,
  });
  const to = (
    name: string,
    from: string,
    columns: string[],
    target: string,
    keys: string[],
    more: object = {},
  ) => ({
    name,
    from: { table: from, columns },
    to: { table: target, columns: keys },
    ...more,
  });
  const derived = <T>(value: T): T[] => (random.chance(0.5) ? [value] : []);
  return readModel(
    JSON.stringify({
      crease: 1,
      name: 'fuzz',
      ...(random.chance(0.7) ? { asOf: isoDay(FIRST_DAY + random.int(10, 100)) } : {}),
      tables: [
        table(
          'district',
          'dimension',
          ['id'],
          [
            column('id', 'integer'),
            column('region', 'text'),
            column('area', 'integer'),
            ...derived(column('loans', 'integer', 'count(loan)')),
          ],
        ),
        table(
          'branch',
          'dimension',
          ['id'],
          [
            column('id', 'integer'),
            column('district_id', 'integer'),
            column('name', 'text'),
            column('size', 'integer'),
            ...derived(
              column(
                'place',
                'text',
                "coalesce(name, '?') || ' in ' || coalesce(district.region, 'nowhere')",
              ),
            ),
          ],
        ),
        table(
          'title',
          'dimension',
          ['id'],
          [
            column('id', 'integer'),
            column('class', 'text'),
            column('price', 'decimal(8,2)'),
            column('topic', 'text'),
            ...derived(
              column('last_lent', 'date', 'latest(loan.day by loan.day) filter (where loan.copies > 0)'),
            ),
          ],
        ),
        table(
          'author',
          'dimension',
          ['id'],
          [column('id', 'integer'), column('country', 'text'), column('born', 'integer')],
        ),
        table('authorship', 'bridge', undefined, [
          column('title_id', 'integer'),
          column('author_id', 'integer'),
          column('share', 'integer'),
        ]),
        table('topic', 'dimension', undefined, [column('code', 'text'), column('field', 'text')]),
        table(
          'calendar',
          'dimension',
          ['day'],
          [
            column('day', 'date'),
            column('month', 'text'),
            column('year', 'integer'),
            column('weekday', 'integer'),
          ],
        ),
        table(
          'loan',
          'fact',
          ['id'],
          [
            column('id', 'integer'),
            column('branch_id', 'integer'),
            column('title_id', 'integer'),
            column('day', 'date'),
            column('due', 'date'),
            column('copies', 'integer'),
            column('fine', 'decimal(8,2)'),
            column('late', 'boolean'),
            ...derived(column('worth', 'decimal(20,2)', 'copies * title.price')),
          ],
        ),
        table('visit', 'fact', undefined, [
          column('branch_id', 'integer'),
          column('day', 'date'),
          column('visitors', 'integer'),
        ]),
        table('stock', 'fact', undefined, [
          column('branch_id', 'integer'),
          column('day', 'date'),
          column('copies', 'integer'),
        ]),
        table('hold', 'fact', undefined, [
          column('branch_id', 'integer'),
          column('month', 'text'),
          column('requests', 'integer'),
        ]),
      ],
      relationships: [
        to('branch_district', 'branch', ['district_id'], 'district', ['id']),
        to('loan_branch', 'loan', ['branch_id'], 'branch', ['id']),
        to('loan_title', 'loan', ['title_id'], 'title', ['id']),
        to('loan_day', 'loan', ['day'], 'calendar', ['day']),
        to('loan_due', 'loan', ['due'], 'calendar', ['day'], { default: false, role: 'Due on' }),
        to('visit_branch', 'visit', ['branch_id'], 'branch', ['id']),
        to('visit_day', 'visit', ['day'], 'calendar', ['day']),
        to('stock_branch', 'stock', ['branch_id'], 'branch', ['id'], { role: 'Kept at' }),
        to('stock_day', 'stock', ['day'], 'calendar', ['day']),
        to('hold_branch', 'hold', ['branch_id'], 'branch', ['id']),
        to('hold_month', 'hold', ['month'], 'calendar', ['month'], { cardinality: 'many-to-level' }),
        to('authorship_title', 'authorship', ['title_id'], 'title', ['id']),
        to('authorship_author', 'authorship', ['author_id'], 'author', ['id']),
        to('title_topic', 'title', ['topic'], 'topic', ['code'], { cardinality: 'many-to-many' }),
      ],
      calendars: [
        {
          table: 'calendar',
          day: 'day',
          ...(random.chance(0.5)
            ? { fiscalYear: { firstMonth: random.pick([4, 7, 10]), namedBy: 'end' } }
            : {}),
        },
      ],
      measures: [
        { name: 'Loans', formula: 'count(loan)' },
        {
          name: 'Visitors',
          formula: 'sum(visit.visitors)',
          ...(random.chance(0.3) ? { unreached: 'repeat' } : {}),
        },
      ],
    }),
  );
}
