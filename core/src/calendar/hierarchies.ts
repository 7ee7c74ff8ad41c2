import type { Hierarchy, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';

type Level = NonNullable<Hierarchy['levels']>[number];

/**
 * A way to show a period: its column, and the columns that tell it from those of the same name in other
 * years.
 */
type Way = readonly [column: string, key?: readonly string[], orderBy?: string];

/**
 * The usual stacks of a calendar's periods, as far as the table has the columns of a generated calendar:
 * years, fiscal years, ISO weeks. `day` is its day column. `numbered` shows fiscal periods by number, else by
 * the month's name. Each period lies in one of the level above.
 */
export function usualHierarchies(table: Table, day: string, numbered: boolean): Hierarchy[] {
  const has = (name: string) => table.columns.some((c) => sameName(c.name, name));
  /** The first way of which the table has all columns. */
  const level = (name: string, ...ways: readonly Way[]): Level[] => {
    const found = ways.find(([column, key = [], orderBy]) =>
      [column, ...key, ...(orderBy ? [orderBy] : [])].every(has),
    );
    if (!found) return [];
    const [column, key, orderBy] = found;
    return [
      {
        name,
        column,
        ...(key ? { key: key.length === 1 ? key[0]! : [...key] } : {}),
        ...(orderBy ? { orderBy } : {}),
      },
    ];
  };
  const months: readonly Way[] = [
    ['month_name', ['year_month'], 'year_month'],
    ['month_name', ['year', 'month'], 'month'],
    ['year_month'],
    ['month', ['year', 'month']],
  ];
  const stacks: readonly (readonly [string, Level[]])[] = [
    [
      'Years',
      [
        ...level('Year', ['year']),
        ...level('Quarter', ['year_quarter'], ['quarter', ['year', 'quarter']]),
        ...level('Month', ...months),
      ],
    ],
    [
      'Fiscal years',
      [
        ...level('Fiscal year', ['fiscal_year']),
        ...level(
          'Fiscal quarter',
          ['fiscal_year_quarter'],
          ['fiscal_quarter', ['fiscal_year', 'fiscal_quarter']],
        ),
        ...level(
          'Period',
          ...(numbered ? ([['fiscal_period', ['fiscal_year', 'fiscal_period']]] as const) : []),
          ...months,
        ),
      ],
    ],
    [
      'Weeks',
      [
        ...level('ISO year', ['iso_year']),
        ...level('Week', ['year_week'], ['iso_week', ['iso_year', 'iso_week']]),
      ],
    ],
  ];
  // A stack begins with its year and has something between it and the day.
  return stacks
    .filter(([, levels]) => levels.length > 1 && /year$/i.test(levels[0]!.name))
    .map(([name, levels]) => ({
      name,
      table: table.name,
      levels: [...levels, { name: 'Day', column: day }],
    }));
}
