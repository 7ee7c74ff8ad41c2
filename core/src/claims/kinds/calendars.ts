import { formatDate } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import { sameName } from '../../model/index.ts';
import { daysRemedy, spanOf } from '../remedies/days.ts';
import type { ClaimKind, SampleRow } from '../claim.ts';
import { endColumns } from '../basis.ts';
import { claimOf, judged, SAMPLE_SIZE } from '../claim.ts';
import { offendingCodes, offendingRows } from '../offenders.ts';
import { ofTable, wholeRelationships } from './common.ts';

export const calendarContinuous: ClaimKind = {
  kind: 'calendar-continuous',
  weight: 'blocks',
  documentation: 'A day of a calendar is missing or repeated.',
  list: ({ model, checker }) =>
    (model.calendars ?? [])
      .filter((c) => checker.names.column(c.table, c.day)?.type === 'date')
      .map((c) =>
        claimOf(
          calendarContinuous,
          checker.names.table(c.table)!.name,
          `${c.table} holds each day from its first to its last once`,
          {
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
                .map((day): SampleRow => ({ missing: formatDate(day), rows: 0 }));
              return judged({
                checked: column.rowCount,
                against: missing.length + repeated.against,
                distinct: missing.length + (repeated.distinct ?? 0),
                sample: [...gaps, ...(repeated.sample ?? [])].slice(0, SAMPLE_SIZE),
                notes: missing.length
                  ? [
                      `${missing.length} days are missing between ${formatDate(sorted[0]!)} and ${formatDate(sorted.at(-1)!)}`,
                    ]
                  : [],
              });
            },
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
          about: [
            { relationship: r.name },
            { table: r.from.table, column: r.from.columns[0]! },
            { table: r.to.table },
          ],
          tables: [r.from.table, r.to.table],
          columns: [...endColumns(r.from), ...endColumns(r.to)],
          parts: [r, calendar],
          judge: (data) => {
            const { sorted } = data.calendarDays(calendar.table);
            const column = data.column(r.from.table, r.from.columns[0]!);
            const values = columnValues(column);
            const outside = values.map((day) =>
              day !== null &&
              (sorted.length === 0 || (day as number) < sorted[0]! || (day as number) > sorted.at(-1)!)
                ? 1
                : 0,
            );
            return judged(
              offendingCodes(data.table(r.from.table), column.rowCount - column.nulls, column, outside),
            );
          },
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
