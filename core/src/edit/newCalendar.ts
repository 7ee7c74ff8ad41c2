import type { FiscalYear } from '../calendar/index.ts';
import { CALENDAR_COLUMNS } from '../calendar/index.ts';
import { formatType } from '../values/index.ts';
import type { Edit } from './edit.ts';

/** Columns that a generated calendar usually has. */
export const USUAL_CALENDAR: readonly string[] = [
  'day',
  'year',
  'year_quarter',
  'quarter',
  'year_month',
  'month',
  'month_name',
  'day_of_week',
  'day_name',
];

/** Levels of a calendar's hierarchy, where their columns are there. */
const LEVELS: readonly (readonly [string, string])[] = [
  ['Year', 'year'],
  ['Quarter', 'year_quarter'],
  ['Month', 'year_month'],
  ['Day', 'day'],
];

/** A generated calendar that is to be added. */
export interface NewCalendar {
  readonly table: string;
  /** First and last day, ISO 8601. */
  readonly from: string;
  readonly to: string;
  /** Names of `CALENDAR_COLUMNS`, `day` among them. */
  readonly columns: readonly string[];
  readonly fiscalYear?: FiscalYear;
}

/** Adds a generated calendar: its table, what it is to the model, and its hierarchy. */
export function addCalendar({ table, from, to, columns, fiscalYear }: NewCalendar): Edit {
  const levels = LEVELS.filter(([, column]) => columns.includes(column)).map(([name, column]) => ({
    name,
    column,
  }));
  return [
    {
      do: 'put-tables',
      name: null,
      value: {
        name: table,
        role: 'dimension',
        source: { calendar: { from, to } },
        key: ['day'],
        label: 'day',
        columns: columns.map((name) => ({
          name,
          type: formatType(CALENDAR_COLUMNS[name]!.type),
          use: name === 'day' ? 'key' : 'attribute',
        })),
      },
    },
    { do: 'put-calendar', value: { table, day: 'day', ...(fiscalYear ? { fiscalYear } : {}) } },
    ...(levels.length > 1
      ? [{ do: 'put-hierarchies' as const, name: null, value: { name: 'Calendar', table, levels } }]
      : []),
  ];
}
