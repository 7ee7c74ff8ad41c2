import type { ScalarFunction } from './definition.ts';
import { typeText } from './definition.ts';
import type { Exact } from '../../values/index.ts';
import { checkedDays, DATE } from '../../values/index.ts';

/** A day from its parts, which many files keep in columns of their own. */
export const makeDate: ScalarFunction = {
  name: 'make_date',
  parameters: 'year, month, day',
  documentation:
    'The day of a year (1 to 9999), a month (1 to 12) and a day of the month; null where there is no such day.',
  example: { formula: 'make_date(2024, 2, 29)', gives: '2024-02-29' },
  arity: [3, 3],
  check: (args) => {
    const wrong = args.find((a) => a.type !== null && a.type.kind !== 'integer');
    if (wrong) return `make_date needs integers, ${typeText(wrong)}: write cast(${wrong.text} as integer)`;
    return {
      type: DATE,
      // Parts beyond what a number holds exactly are no part of a day anyway.
      evaluate: (...parts) => {
        const [year, month, day] = (parts as Exact[]).map(Number);
        return checkedDays(year!, month!, day!) ?? null;
      },
    };
  },
};
