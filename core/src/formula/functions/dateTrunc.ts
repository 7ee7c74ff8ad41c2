import type { ScalarFunction } from './definition.ts';
import { needsMoment } from './definition.ts';
import type { Exact } from '../../values/index.ts';
import { DATE, splitTimestamp, timestampOf } from '../../values/index.ts';
import { DATE_UNITS, truncateDays, UNIT_MICROS } from './units.ts';

export const dateTrunc: ScalarFunction = {
  name: 'date_trunc',
  parameters: 'x, unit',
  documentation: 'The start of the unit that holds x; a week starts on Monday.',
  example: { formula: "date_trunc(date '2026-05-17', quarter)", gives: '2026-04-01' },
  word: { at: 1, known: DATE_UNITS },
  arity: [2, 2],
  check: (args) => {
    const wrong = needsMoment('date_trunc', args.slice(0, 1));
    if (wrong) return wrong;
    const unit = args[1]!.constant as string;
    const type = args[0]!.type ?? DATE;
    if (type.kind === 'date')
      return UNIT_MICROS[unit]
        ? `a date has no ${unit}`
        : { type, evaluate: (x) => truncateDays(x as number, unit) };
    return {
      type,
      evaluate: (x) => {
        const { days, micros } = splitTimestamp(x as Exact);
        const size = UNIT_MICROS[unit];
        return size
          ? timestampOf(days, Math.floor(micros / size) * size)
          : timestampOf(truncateDays(days, unit), 0);
      },
    };
  },
};
