import { applyEdit, EditError } from '../edit/index.ts';
import type { Edit } from '../edit/index.ts';
import type { Model, Table } from '../model/index.ts';
import { followedBy, inStep, withCalendarOf } from './index.ts';

const table = (name: string, file: string, rest: Partial<Table> = {}): Table => ({
  name,
  role: 'dimension',
  source: { file },
  key: ['day'],
  columns: [
    { name: 'day', type: 'date' },
    { name: 'year', type: 'integer' },
    { name: 'month', type: 'integer' },
  ],
  ...rest,
});
const libraries: Model = {
  crease: 1,
  name: 'libraries',
  tables: [
    table('calendar', 'days.csv', { process: 'none', questions: [{ ask: 'which day?' }] }),
    table('area', 'area.csv'),
  ],
  calendars: [{ table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } }],
  hierarchies: [
    {
      name: 'Years',
      table: 'calendar',
      default: true,
      levels: [
        { name: 'Year', column: 'calendar.year' },
        { name: 'Month', column: 'month', key: ['year', 'month'], orderBy: 'calendar.month' },
      ],
    },
    { name: 'Areas', table: 'calendar', levels: [{ name: 'Area', column: 'area.year' }] },
  ],
};
const visits: Model = { crease: 1, name: 'visits', tables: [table('Calendar', 'DAYS.csv', { key: [] })] };

const linked = () => withCalendarOf(visits, libraries, 'calendar', 'link')!.model;
const edited = (model: Model, ...edit: Edit) => applyEdit(model, edit);

test('a calendar comes with its table and hierarchies, under names that are free', () => {
  const { model, table: own } = withCalendarOf(visits, libraries, 'CALENDAR', 'copy')!;
  expect([own.name, own.source]).toEqual(['calendar_2', { file: 'calendar_2.csv' }]);
  expect(own.questions ?? own.process).toBeUndefined();
  expect(model.calendars).toEqual([
    { table: 'calendar_2', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } },
  ]);
  // A hierarchy with a level of another table stays behind.
  expect(model.hierarchies).toEqual([
    {
      name: 'Years',
      table: 'calendar_2',
      default: true,
      levels: [
        { name: 'Year', column: 'year' },
        { name: 'Month', column: 'month', key: ['year', 'month'], orderBy: 'month' },
      ],
    },
  ]);
  expect(withCalendarOf(visits, libraries, 'area', 'copy')).toBeUndefined();
});

test('a link follows what becomes of the calendar, and keeps its own names', () => {
  const before = linked();
  expect(followedBy(before, 'CALENDAR_2')).toEqual({ model: 'libraries', table: 'calendar' });
  expect(inStep(before, before.calendars![0]!, libraries)).toBe(before);
  const later = edited(
    libraries,
    {
      do: 'put-calendar',
      value: { table: 'calendar', day: 'day', fiscalYear: { firstMonth: 4, namedBy: 'start' } },
    },
    { do: 'put-column', table: 'calendar', value: { name: 'holiday', type: 'boolean' } },
    { do: 'remove-hierarchies', name: 'calendar.Years' },
  );
  const after = inStep(before, before.calendars![0]!, later)!;
  expect(after.calendars).toEqual([
    {
      table: 'calendar_2',
      day: 'day',
      fiscalYear: { firstMonth: 4, namedBy: 'start' },
      follows: { model: 'libraries', table: 'calendar' },
    },
  ]);
  expect(after.tables.map((t) => [t.name, t.columns.length, (t.source as { file: string }).file])).toEqual([
    ['Calendar', 3, 'DAYS.csv'],
    ['calendar_2', 4, 'calendar_2.csv'],
  ]);
  expect(after.hierarchies).toEqual([]);
  expect(inStep(before, before.calendars![0]!, { ...libraries, calendars: [] })).toBeUndefined();
});

test.each<[string, Edit[number]]>([
  [
    'its fiscal year',
    {
      do: 'put-calendar',
      value: { table: 'calendar_2', day: 'day', follows: { model: 'libraries', table: 'calendar' } },
    },
  ],
  ['a column', { do: 'set-column', table: 'calendar_2', column: 'year', change: { hidden: true } }],
  ['a hierarchy', { do: 'remove-hierarchies', name: 'calendar_2.Years' }],
  ['its key', { do: 'set-table', table: 'calendar_2', change: { key: [] } }],
])('a calendar that follows another is not changed by hand: %s', (_, change) => {
  expect(() => edited(linked(), change)).toThrow(
    new EditError('calendar_2 follows the calendar of libraries: change it there, or detach it first'),
  );
  const { follows: _follows, ...own } = linked().calendars![0]!;
  expect(
    edited(linked(), { do: 'put-calendar', value: own }, {
      ...change,
      ...('value' in change ? { value: own } : {}),
    } as Edit[number]),
  ).toBeDefined();
});

test('what hangs on a linked calendar is the model’s own, and so is the link itself', () => {
  const relationship = {
    name: 'r',
    from: { table: 'Calendar', columns: ['day'] },
    to: { table: 'calendar_2', columns: ['day'] },
  };
  expect(
    edited(linked(), { do: 'put-relationships', name: null, value: relationship }).relationships,
  ).toHaveLength(1);
  expect(edited(linked(), { do: 'remove-calendar', table: 'calendar_2' }).calendars).toEqual([]);
  expect(edited(linked(), { do: 'remove-tables', name: 'calendar_2' }).tables).toHaveLength(1);
});
