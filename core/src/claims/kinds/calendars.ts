import { formatDate } from '../../values/index.ts';
import { sameName } from '../../model/index.ts';
import { daysRemedy, spanOf } from '../remedies/days.ts';
import type { ClaimKind, SampleRow } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged, SAMPLE_SIZE } from '../claim.ts';
import { offendingRows } from '../offenders.ts';
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
            judge: (data) => {
              const column = data.column(c.table, c.day);
              const { sorted } = data.calendarDays(c.table);
              const missing: number[] = [];
              for (let i = 1; i < sorted.length; i++)
                for (let day = sorted[i - 1]! + 1; day < sorted[i]!; day++) missing.push(day);
              const repeated = offendingRows(
                data.table(c.table),
                column.rowCount,
                [column],
                (row) => column.codes[row] !== 0 && column.counts[column.codes[row]!]! > 1,
              );
              const gaps = missing
                .slice(0, SAMPLE_SIZE)
                .map((day): SampleRow => ({ values: { missing: formatDate(day) }, rows: 0 }));
              return judged({
                checked: column.rowCount,
                against: missing.length + repeated.against,
                distinct: missing.length + (repeated.distinct ?? 0),
                sample: [...gaps, ...(repeated.sample ?? [])].slice(0, SAMPLE_SIZE),
                notes: missing.length
                  ? [
                      `${counted(missing.length, 'day')} ${missing.length === 1 ? 'is' : 'are'} missing between ${formatDate(sorted[0]!)} and ${formatDate(sorted.at(-1)!)}`,
                    ]
                  : [],
              });
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
