import type { ScalarFunction } from './definition.ts';
import { needsMoment, needsNumber } from './definition.ts';
import type { Exact } from '../../values/index.ts';
import { add, DATE, multiply, splitTimestamp, timestampOf } from '../../values/index.ts';
import { DATE_UNITS, shiftDays, UNIT_MICROS } from './units.ts';

export const dateAdd: ScalarFunction = {
  name: 'date_add',
  parameters: 'x, n, unit',
  documentation:
    'The moment n units after x (before, for a negative n). A day that the month lacks becomes its last.',
  example: { formula: "date_add(date '2024-01-31', 1, month)", gives: '2024-02-29' },
  word: { at: 2, known: DATE_UNITS },
  arity: [3, 3],
  check: (args) => {
    const wrong = needsMoment('date_add', args.slice(0, 1)) ?? needsNumber('date_add', args.slice(1, 2));
    if (wrong) return wrong;
    const unit = args[2]!.constant as string;
    const type = args[0]!.type ?? DATE;
    if (type.kind === 'date') {
      if (UNIT_MICROS[unit]) return `a date has no ${unit}: cast(${args[0]!.text} as timestamp) first`;
      return { type, evaluate: (x, n) => shiftDays(x as number, Number(n), unit) };
    }
    return {
      type,
      evaluate: (x, n) => {
        if (UNIT_MICROS[unit]) return add(x as Exact, multiply(n as Exact, UNIT_MICROS[unit]));
        const { days, micros } = splitTimestamp(x as Exact);
        return timestampOf(shiftDays(days, Number(n), unit), micros);
      },
    };
  },
};
