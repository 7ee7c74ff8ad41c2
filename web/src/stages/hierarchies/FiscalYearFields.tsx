import type { Edit } from '@crease/core/edit';
import { missingFiscalColumns, setFiscalYear } from '@crease/core/edit';
import type { Table } from '@crease/core/model';
import type { Calendar } from '@crease/core/calendar';
import { useModel } from '../../state/model.tsx';

const MONTHS = Array.from({ length: 12 }, (_, i) =>
  new Date(Date.UTC(2026, i, 1)).toLocaleString('en', { month: 'long', timeZone: 'UTC' }),
);

/**
 * When the fiscal year of a calendar begins and what it is named by, for this calendar or for all; with the
 * columns for it that the table lacks.
 */
export function FiscalYearFields({ table, calendar }: { table: Table; calendar: Calendar }) {
  const { model, edit } = useModel();
  const fiscal = calendar.fiscalYear;
  const others = (model.calendars ?? []).filter((c) => c !== calendar);
  const missing = missingFiscalColumns(table, calendar);
  const set = (change: Partial<NonNullable<typeof fiscal>>) => {
    const next = { firstMonth: 1, namedBy: 'end' as const, ...fiscal, ...change };
    void edit(
      setFiscalYear(table, calendar, next),
      `start the fiscal year of ${table.name} in ${MONTHS[next.firstMonth - 1]}, named by its ${next.namedBy}`,
    );
  };
  const putFiscal = () =>
    void edit(
      missing.map((value): Edit[number] => ({ do: 'put-column', table: table.name, value })),
      `add the columns of the fiscal year to ${table.name}`,
    );
  return (
    <>
      <label htmlFor={`fiscal-${table.name}`} className="text-soft">
        Fiscal year starts in
      </label>
      <span className="flex flex-wrap items-center gap-2">
        <select
          id={`fiscal-${table.name}`}
          className="field"
          value={fiscal?.firstMonth ?? 1}
          onChange={(e) => set({ firstMonth: Number(e.target.value) })}
        >
          {MONTHS.map((m, i) => (
            <option key={m} value={i + 1}>
              {m}
            </option>
          ))}
        </select>
        <span className="text-soft">named by the year of its</span>
        <select
          className="field"
          aria-label="Named by"
          value={fiscal?.namedBy ?? 'end'}
          onChange={(e) => set({ namedBy: e.target.value as 'start' | 'end' })}
        >
          <option>start</option>
          <option>end</option>
        </select>
        {others.length > 0 && fiscal && (
          <button
            className="btn h-[24px]"
            onClick={() =>
              void edit(
                others.map((c): Edit[number] => ({
                  do: 'put-calendar',
                  value: { ...c, fiscalYear: fiscal },
                })),
                'one fiscal year for all calendars',
              )
            }
          >
            For all calendars
          </button>
        )}
        {missing.length > 0 && (
          <button
            className="btn h-[24px]"
            title={`${missing.map((c) => c.name).join(', ')}: columns by formula over ${calendar.day}`}
            onClick={putFiscal}
          >
            Add fiscal columns
          </button>
        )}
      </span>
    </>
  );
}
