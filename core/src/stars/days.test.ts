import { applyEdit } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import { daysWithoutCalendar, relateToCalendar } from './index.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'lent_on', type: 'date' },
        { name: 'returned_at', type: 'timestamp' },
        { name: 'scanned_at', type: 'timestamp', hidden: true },
        { name: 'fine', type: 'integer' },
      ],
    },
    { name: 'calendar', role: 'dimension', key: ['day'], columns: [{ name: 'day', type: 'date' }] },
    { name: 'branch', role: 'dimension', columns: [{ name: 'opened', type: 'date' }] },
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
};

test('days and moments of facts are related in one edit: the first by default, of a moment its day', () => {
  const open = daysWithoutCalendar(model);
  expect(open).toEqual([
    { table: 'loan', column: 'lent_on', type: 'date' },
    { table: 'loan', column: 'returned_at', type: 'timestamp' },
  ]);
  const after = applyEdit(model, relateToCalendar(model, open, model.calendars![0]!));
  expect(after.relationships).toEqual([
    {
      name: 'loan_calendar',
      from: { table: 'loan', columns: ['lent_on'] },
      to: { table: 'calendar', columns: ['day'] },
    },
    {
      name: 'loan_returned_day',
      from: { table: 'loan', columns: ['returned_day'] },
      to: { table: 'calendar', columns: ['day'] },
      default: false,
    },
  ]);
  expect(after.tables[0]!.columns.at(-1)).toEqual({
    name: 'returned_day',
    type: 'date',
    formula: 'cast(returned_at as date)',
  });
  expect(daysWithoutCalendar(after)).toEqual([]);
  // Once more changes nothing: the day is there, and the relationship.
  const once = relateToCalendar(after, [open[1]!], model.calendars![0]!);
  expect(applyEdit(after, once)).toEqual(after);
});

test('a derived day without a relationship stands for its moment', () => {
  const derived = applyEdit(model, [
    {
      do: 'put-column',
      table: 'loan',
      value: { name: 'back', type: 'date', formula: 'cast(returned_at as date)' },
    },
  ]);
  expect(daysWithoutCalendar(derived).map((d) => d.column)).toEqual(['lent_on', 'back']);
});
