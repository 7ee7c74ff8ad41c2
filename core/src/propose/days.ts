import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import { dayOfMoment, derivedDay } from '../edit/index.ts';
import type { DayColumn } from '../edit/index.ts';
import { quoteName } from '../formula/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { nameWords, sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import type { Exact, Value } from '../values/index.ts';
import { checkedDays, counted, monthOf, numberText, splitTimestamp } from '../values/index.ts';
import { isCalendarKey, isCalendarTable } from './calendars.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';

/** Of the moments, so much must fall on days of a calendar; of parts, so much must be a day. */
const MOST = 0.6;
const NEARLY_ALL = 0.95;

/**
 * Columns of days that tables have only within others: the days of moments, where a calendar has these days,
 * and the days whose year, month and day of the month stand in columns of their own.
 */
export function proposeDays(model: Model, data: ModelData): Proposal[] {
  const calendars = model.tables.filter((t) => isDayTable(t, data));
  return model.tables.flatMap((t) => [...daysOfMoments(t, calendars, data), ...daysOfParts(t, data)]);
}

/** Whether the key of a table is that of a calendar. */
const isDayTable = (t: Table, data: ModelData): boolean =>
  t.key?.length === 1 && isCalendarKey(data.column(t.name, t.key[0]!)) && isCalendarTable(t, data);

function proposalOf(t: Table, { name, edit }: DayColumn, from: string, evidence: string[]): Proposal[] {
  if (edit.length === 0) return [];
  return [
    {
      id: `column:${t.name}.${name}`,
      kind: 'column',
      table: t.name,
      says: `${t.name}.${name} is the day of ${from}`,
      evidence,
      edit,
    },
  ];
}

function daysOfMoments(t: Table, calendars: readonly Table[], data: ModelData): Proposal[] {
  return t.columns.flatMap((c): Proposal[] => {
    if (c.type !== 'timestamp' || c.formula !== undefined) return [];
    const moments = data.column(t.name, c.name);
    // One row a day is a table of days itself: days that are all different refer to none.
    if (daysIn(moments).size === moments.rowCount - moments.nulls) return [];
    const best = calendars
      .filter((calendar) => calendar !== t)
      .map((calendar) => ({ calendar, on: rowsOn(moments, data.column(calendar.name, calendar.key![0]!)) }))
      .sort((a, b) => b.on - a.on)[0];
    const filled = moments.rowCount - moments.nulls;
    if (!best || filled === 0 || best.on < filled * MOST) return [];
    return proposalOf(t, dayOfMoment(t, c.name), c.name, [
      `${percent(best.on, filled)} of ${numberText(filled)} moments fall on a day of ${best.calendar.name}`,
    ]);
  });
}

const dayOf = (value: Value): number => splitTimestamp(value as Exact).days;

/** The different days of moments. */
const daysIn = (moments: Column): Set<number> =>
  new Set(
    columnValues(moments).flatMap((v, code) => (v !== null && moments.counts[code]! > 0 ? [dayOf(v)] : [])),
  );

/** Rows whose moment falls on one of the days. */
function rowsOn(moments: Column, days: Column): number {
  const known = new Set<Value>(columnValues(days));
  return columnValues(moments).reduce<number>(
    (rows, value, code) => (value !== null && known.has(dayOf(value)) ? rows + moments.counts[code]! : rows),
    0,
  );
}

/** The column of a part: what stands before the part's name in its own is the same for all three. */
interface Part {
  readonly stem: string;
  readonly column: ModelColumn;
}

const NAMES = {
  year: ['year', 'yr', 'yyyy'],
  month: ['month', 'mon', 'mth', 'mm'],
  day: ['day', 'dd', 'dayofmonth', 'mday'],
} as const;

function partsNamed(t: Table, part: keyof typeof NAMES): Part[] {
  return t.columns.flatMap((column) => {
    const words = nameWords(column.name);
    // "day of month" is the day; a name that is nothing but the part has an empty stem.
    const plain = words.slice(-3).join('_') === 'day_of_month' ? [...words.slice(0, -3), 'day'] : words;
    const isNamed = (NAMES[part] as readonly string[]).includes(plain.at(-1) ?? '');
    return isNamed && column.formula === undefined ? [{ stem: plain.slice(0, -1).join('_'), column }] : [];
  });
}

function daysOfParts(t: Table, data: ModelData): Proposal[] {
  const [months, daysOfMonth] = [partsNamed(t, 'month'), partsNamed(t, 'day')];
  return partsNamed(t, 'year').flatMap(({ stem, column: year }): Proposal[] => {
    const month = months.find((m) => m.stem === stem)?.column;
    const day = daysOfMonth.find((d) => d.stem === stem)?.column;
    // A table that has such a day needs none.
    const named = stem === '' ? 'date' : `${stem}_date`;
    if (!month || !day || t.columns.some((c) => sameName(c.name, named))) return [];
    if (year.type !== 'integer' || day.type !== 'integer') return [];
    const inYear = monthFormula(month, data.column(t.name, month.name));
    if (!inYear) return [];
    const columns = [year, month, day].map((c) => data.column(t.name, c.name)) as [Column, Column, Column];
    const days = daysMade(columns, inYear.numberOf);
    const filled = days.filter((d) => d !== undefined).length;
    const made = days.filter((d) => typeof d === 'number').length;
    if (made === 0 || made < filled * NEARLY_ALL || holdsDays(t, data, days)) return [];
    const formula = `make_date(${quoteName(year.name)}, ${inYear.formula}, ${quoteName(day.name)})`;
    return proposalOf(
      t,
      derivedDay(t, named, formula),
      `${year.name}, ${month.name} and ${day.name}`,
      made === filled
        ? [`all ${numberText(filled)} filled rows make a day`]
        : [
            `${percent(made, filled)} of ${numberText(filled)} filled rows make a day; ${counted(filled - made, 'row')} ${filled - made === 1 ? 'has' : 'have'} no such day and ${filled - made === 1 ? 'is' : 'are'} null`,
          ],
    );
  });
}

/** How a formula writes the number of a month, and what it is; undefined where a column holds no months. */
function monthFormula(
  { name, type }: ModelColumn,
  column: Column,
): { formula: string; numberOf: (value: Value) => number | undefined } | undefined {
  if (type === 'integer') return { formula: quoteName(name), numberOf: (value) => Number(value) };
  if (type !== 'text') return undefined;
  const names = columnValues(column).filter(
    (v, code): v is string => typeof v === 'string' && column.counts[code]! > 0,
  );
  if (names.length === 0 || names.some((text) => monthOf(text) === undefined)) return undefined;
  const cases = names.map((text) => `when '${text.replaceAll("'", "''")}' then ${monthOf(text)!}`);
  return {
    formula: `case ${quoteName(name)} ${cases.join(' ')} end`,
    numberOf: (value) => monthOf(String(value)),
  };
}

/** The day of each row: undefined where a part is missing, null where the parts are no day. */
function daysMade(
  [year, month, day]: readonly [Column, Column, Column],
  monthNumber: (value: Value) => number | undefined,
): (number | null | undefined)[] {
  const [years, months, days] = [columnValues(year), columnValues(month), columnValues(day)];
  const numbers = months.map((v) => (v === null ? undefined : monthNumber(v)));
  return Array.from({ length: year.rowCount }, (_, row) => {
    const [y, m, d] = [year.codes[row]!, month.codes[row]!, day.codes[row]!];
    if (y === 0 || m === 0 || d === 0) return undefined;
    return checkedDays(Number(years[y]), numbers[m] ?? 0, Number(days[d])) ?? null;
  });
}

/** Whether a table holds these days already, as days or as moments. */
const holdsDays = (t: Table, data: ModelData, days: readonly (number | null | undefined)[]): boolean =>
  t.columns.some(({ name, type }) => {
    if (type !== 'date' && type !== 'timestamp') return false;
    const column = data.column(t.name, name);
    const own = columnValues(column).map((v) => (v === null || type === 'date' ? v : dayOf(v)));
    return (
      days.filter((day, row) => (day ?? null) === own[column.codes[row]!]).length >= days.length * NEARLY_ALL
    );
  });
