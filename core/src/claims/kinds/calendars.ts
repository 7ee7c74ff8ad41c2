import { formatDate } from '../../values/index.ts';
import { sameName } from '../../model/index.ts';
import { daysRemedy, spanOf } from '../remedies/days.ts';
import type { ClaimKind } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged } from '../claim.ts';
import { askCount } from '../judging.ts';
import { counted, rowsText, verb } from './words.ts';
import { ofTable, wholeRelationships } from './common.ts';

export const calendarContinuous: ClaimKind = {
  kind: 'calendar-continuous',
  weight: 'blocks',
  subject: 'calendar table',
  documentation: 'A day is missing or repeated.',
  example:
    '`calendar-continuous:calendar`: `calendar` holds each day from its first to its last once; a missing 29 February breaks it.',
  list: ({ model, checker }) =>
    (model.calendars ?? [])
      .filter((c) => checker.names.column(c.table, c.day)?.type === 'date')
      .map((c) =>
        claimOf(
          calendarContinuous,
          checker.names.table(c.table)!.name,
          `${c.table} holds each day from its first to its last once`,
          {
            ref: { table: checker.names.table(c.table)!.name },
            about: [{ table: c.table, column: c.day }],
            tables: [c.table],
            columns: ofTable(c.table, [c.day]),
            parts: c,
            judging: function* () {
              const { tally, ...found } = yield* askCount({ count: 'days', table: c.table, column: c.day });
              const { missing = 0, first = 0, last = 0 } = tally ?? {};
              const note = `${counted(missing, 'day')} ${missing === 1 ? 'is' : 'are'} missing between ${formatDate(first)} and ${formatDate(last)}`;
              return judged({ ...found, notes: missing > 0 ? [note] : [] });
            },
            found: (e) =>
              `${counted(e.distinct ?? 0, 'day')} of ${c.table} ${e.distinct === 1 ? 'is' : 'are'} missing or repeated`,
            remedies: (_, data) => {
              const span = data && spanOf(data, [{ table: c.table, column: c.day }], false);
              const remedy = span && daysRemedy(model, c, span, 'add-missing-days', 'Add the missing days');
              return remedy ? [remedy] : [];
            },
          },
        ),
      ),
};

export const calendarCovers: ClaimKind = {
  kind: 'calendar-covers',
  weight: 'blocks',
  subject: 'relationship',
  example:
    '`calendar-covers:lent_on`: `calendar` covers every `loan.loan_date`; a loan of 2031 breaks it where the calendar ends in 2026.',
  documentation: "A fact's date lies before the calendar's first or after its last day.",
  list: (context) =>
    wholeRelationships(context).flatMap((r) => {
      const calendar = (context.model.calendars ?? []).find(
        (c) =>
          sameName(c.table, r.to.table) && r.to.columns.length === 1 && sameName(c.day, r.to.columns[0]!),
      );
      if (!calendar || context.checker.names.column(r.from.table, r.from.columns[0]!)!.type !== 'date')
        return [];
      return [
        claimOf(calendarCovers, r.name, `${r.to.table} covers every ${r.from.table}.${r.from.columns[0]}`, {
          ref: { relationship: r.name },
          about: [
            { relationship: r.name },
            { table: r.from.table, column: r.from.columns[0]! },
            { table: r.to.table },
          ],
          tables: [r.from.table, r.to.table],
          columns: [...endColumns(r.from), ...endColumns(r.to)],
          parts: [r, calendar],
          counts: [
            {
              count: 'outside',
              table: r.from.table,
              column: r.from.columns[0]!,
              of: { table: calendar.table, column: calendar.day },
            },
          ],
          found: (e) =>
            `${rowsText(e)} of ${r.from.table} ${verb(e, 'has', 'have')} a ${r.from.columns[0]} before the first or after the last day of ${r.to.table}`,
          remedies: (_, data) => {
            const ends = [r.from, r.to].map((end) => ({ table: end.table, column: end.columns[0]! }));
            const span = data && spanOf(data, ends, true);
            const remedy =
              span && daysRemedy(context.model, calendar, span, 'extend-calendar', 'Extend the calendar');
            return remedy ? [remedy] : [];
          },
        }),
      ];
    }),
};
