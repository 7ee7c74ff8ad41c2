import type { ScalarFunction } from './definition.ts';
import { needsMoment, typeText } from './definition.ts';
import type { Exact, Value } from '../../values/index.ts';
import { INTEGER, splitTimestamp } from '../../values/index.ts';
import { DATE_UNITS, UNIT_MICROS, unitNumber } from './units.ts';

export const dateDiff: ScalarFunction = {
  name: 'date_diff',
  parameters: 'from, to, unit',
  documentation:
    "How many of the unit's boundaries lie between the two moments; negative where `to` is earlier.",
  example: { formula: "date_diff(date '2025-12-31', date '2026-01-01', year)", gives: 1 },
  word: { at: 2, known: DATE_UNITS },
  arity: [3, 3],
  check: (args) => {
    const wrong = needsMoment('date_diff', args.slice(0, 2));
    if (wrong) return wrong;
    const [a, b] = [args[0]!, args[1]!];
    if (a.type && b.type && a.type.kind !== b.type.kind)
      return `date_diff needs two dates or two timestamps: ${typeText(a)}, ${typeText(b)}`;
    const unit = args[2]!.constant as string;
    const isDate = (a.type ?? b.type)?.kind !== 'timestamp';
    const size = UNIT_MICROS[unit];
    if (isDate && size) return `a date has no ${unit}: cast to timestamp first`;
    const number = (x: Value): number => {
      if (isDate) return unitNumber(x as number, unit);
      const { days, micros } = splitTimestamp(x as Exact);
      return size ? Math.floor(micros / size) + days * (86_400_000_000 / size) : unitNumber(days, unit);
    };
    return { type: INTEGER, evaluate: (from, to) => number(to!) - number(from!) };
  },
};
