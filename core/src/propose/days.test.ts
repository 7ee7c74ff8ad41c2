import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { parseType, textReader } from '../values/index.ts';
import { many } from './drafted.ts';
import { acceptAll, proposeStar } from './index.ts';

type Columns = Readonly<Record<string, readonly [type: string, values: readonly (string | null)[]]>>;

/** The draft of tables whose types are known, with the parts that were proposed. */
function drafted(tables: Readonly<Record<string, Columns>>) {
  const rows = new Map<string, TableData>();
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: Object.entries(tables).map(([name, columns]) => {
      const stored = Object.entries(columns).map(([column, [type, texts]]) => {
        const read = textReader(parseType(type)!);
        return columnOfValues(
          column,
          parseType(type)!,
          texts.map((t): Value => (t === null ? null : read(t)!)),
        );
      });
      rows.set(name, tableOf(name, stored));
      return {
        name,
        role: 'staging',
        columns: Object.entries(columns).map(([c, [type]]) => ({ name: c, type })),
      };
    }),
  };
  const proposals = proposeStar(new ModelData(model, (name) => rows.get(name)!, 0));
  return { model: acceptAll(model, proposals), proposals };
}

const day = (i: number) => new Date(Date.UTC(2024, 0, 1 + i)).toISOString().slice(0, 10);
const calendar = {
  day: ['date', many(60, day)],
  month: ['text', many(60, (i) => day(i).slice(0, 7))],
} as const;
const column = (model: Model, table: string, name: string) =>
  model.tables.find((t) => t.name === table)!.columns.find((c) => c.name === name);

describe('days of moments', () => {
  const scans = (n: number, at: (i: number) => string | null): Columns => ({
    scanned_at: ['timestamp', many(n, at)],
    copies: ['integer', many(n, (i) => String(i % 5))],
  });
  test('are derived and related where a calendar has them', () => {
    const { model, proposals } = drafted({
      calendar,
      scan: scans(300, (i) => (i === 7 ? null : `${day(i % 50)} 10:0${i % 10}:00`)),
    });
    expect(column(model, 'scan', 'scanned_day')).toMatchObject({
      type: 'date',
      formula: 'cast(scanned_at as date)',
      use: 'reference',
    });
    expect(model.relationships).toMatchObject([
      { from: { table: 'scan', columns: ['scanned_day'] }, to: { table: 'calendar', columns: ['day'] } },
    ]);
    expect(proposals.find((p) => p.kind === 'column')!.evidence).toEqual([
      '100 % of 299 moments fall on a day of calendar',
    ]);
  });
  test('are not where no calendar has them, nor in a table of one row a day', () => {
    const none = drafted({ calendar, scan: scans(300, (i) => `1999-01-0${(i % 9) + 1} 10:00:00`) });
    expect(column(none.model, 'scan', 'scanned_day')).toBeUndefined();
    const daily = drafted({ calendar, scan: scans(50, (i) => `${day(i)} 00:00:00`) });
    expect(column(daily.model, 'scan', 'scanned_day')).toBeUndefined();
  });
  test('two of one table are roles of the calendar', () => {
    const { model } = drafted({
      calendar,
      loan: {
        lent_at: ['timestamp', many(300, (i) => `${day(i % 40)} 10:00:00`)],
        returned_at: ['timestamp', many(300, (i) => `${day((i % 40) + 9)} 11:00:00`)],
        fine: ['decimal(9,2)', many(300, (i) => `${i % 7}.50`)],
      },
    });
    expect(model.relationships!.map((r) => [r.role, r.default ?? true])).toEqual([
      ['Lent', true],
      ['Returned', false],
    ]);
  });
});

describe('days in parts', () => {
  const parts = (month: readonly [string, readonly string[]]): Columns => ({
    Year: ['integer', many(24, (i) => String(2020 + (i % 3)))],
    month,
    day: ['integer', many(24, (i) => String(1 + i))],
    loans: ['integer', many(24, (i) => String(i * 7))],
  });
  test('become a day', () => {
    const { model, proposals } = drafted({
      visit: parts(['integer', many(24, (i) => String(1 + (i % 12)))]),
    });
    expect(column(model, 'visit', 'date')?.formula).toBe('make_date("Year", month, day)');
    expect(proposals.find((p) => p.kind === 'column')!.evidence).toEqual(['all 24 filled rows make a day']);
  });
  test('also where months are names', () => {
    const { model } = drafted({
      visit: parts(['text', many(24, (i) => ['mars', 'AVRIL', 'Dez.'][i % 3]!)]),
    });
    expect(column(model, 'visit', 'date')?.formula).toBe(
      `make_date("Year", case month when 'AVRIL' then 4 when 'Dez.' then 12 when 'mars' then 3 end, day)`,
    );
  });
  test('not where the parts make no days', () => {
    const { model } = drafted({ visit: parts(['integer', many(24, (i) => String(i))]) });
    expect(column(model, 'visit', 'date')).toBeUndefined();
  });
  test('not where the table has these days', () => {
    const { model } = drafted({
      visit: {
        ...parts(['integer', many(24, () => '1')]),
        visited: ['date', many(24, (i) => `${2020 + (i % 3)}-01-${String(i + 1).padStart(2, '0')}`)],
      },
    });
    expect(column(model, 'visit', 'date')).toBeUndefined();
  });
});
