import type { ScalarFunction } from './definition.ts';
import { needsMoment } from './definition.ts';
import type { Exact } from '../../values/index.ts';
import { civilFromDays, INTEGER, isoWeek, isoWeekday, splitTimestamp } from '../../values/index.ts';

const PARTS: Record<string, (days: number, micros: number) => number> = {
  year: (days) => civilFromDays(days).year,
  quarter: (days) => Math.ceil(civilFromDays(days).month / 3),
  month: (days) => civilFromDays(days).month,
  week: (days) => isoWeek(days).week,
  isoyear: (days) => isoWeek(days).year,
  day: (days) => civilFromDays(days).day,
  isodow: (days) => isoWeekday(days),
  hour: (_, micros) => Math.floor(micros / 3_600_000_000),
  minute: (_, micros) => Math.floor(micros / 60_000_000) % 60,
  second: (_, micros) => Math.floor(micros / 1_000_000) % 60,
};

export const extract: ScalarFunction = {
  name: 'extract',
  parameters: 'part from x',
  documentation:
    'A part of a date or timestamp: year, quarter, month, week (ISO 8601), isoyear, day, isodow (1 is Monday), hour, minute, second.',
  example: { formula: "extract(quarter from date '2026-05-01')", gives: 2 },
  word: { at: 0, known: Object.keys(PARTS) },
  arity: [2, 2],
  check: (args) => {
    const part = PARTS[args[0]!.constant as string]!;
    const isDate = args[1]!.type?.kind === 'date';
    return (
      needsMoment('extract', args.slice(1)) ?? {
        type: INTEGER,
        evaluate: (_, x) => {
          if (isDate) return part(x as number, 0);
          const { days, micros } = splitTimestamp(x as Exact);
          return part(days, micros);
        },
      }
    );
  },
};
