import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { DayOf } from '@crease/core/stars';
import { daysWithoutCalendar, relateToCalendar } from '@crease/core/stars';
import { useModel } from '../../state/model.tsx';

/** Columns of days and moments of facts that refer to nothing, with a way to give them a calendar. */
export function DaysWithout() {
  const { id, model, edit } = useModel();
  const navigate = useNavigate();
  const found = daysWithoutCalendar(model);
  const calendars = model.calendars ?? [];
  const [chosen, setChosen] = useState<string>();
  if (found.length === 0) return null;
  const calendar = calendars.find((c) => c.table === chosen) ?? calendars[0];
  const relate = (days: readonly DayOf[]) =>
    edit(
      relateToCalendar(model, days, calendar!),
      days.length === 1
        ? `relate ${days[0]!.table}.${days[0]!.column} to ${calendar!.table}`
        : `relate ${days.length} columns to ${calendar!.table}`,
    );
  const generate = (of: DayOf) =>
    navigate(`/m/${id}/intake?view=calendar&of=${encodeURIComponent(`${of.table}.${of.column}`)}`);
  return (
    <section aria-label="Days without a calendar" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Days without a calendar</h2>
      <p className="mb-2 flex flex-wrap items-center gap-3 text-soft">
        These columns of facts have no calendar; of a moment its day is related, as a derived column.
        {calendars.length > 1 && (
          <select
            className="field"
            aria-label="Calendar to relate to"
            value={calendar!.table}
            onChange={(e) => setChosen(e.target.value)}
          >
            {calendars.map((c) => (
              <option key={c.table}>{c.table}</option>
            ))}
          </select>
        )}
        {calendar && found.length > 1 && (
          <button className="btn h-[24px]" onClick={() => void relate(found)}>
            Relate all {found.length}
          </button>
        )}
      </p>
      <ul>
        {found.map((of) => (
          <li key={`${of.table}.${of.column}`} className="flex items-center gap-3 py-1">
            <span className="flex-1">
              <b>{of.column}</b> of {of.table}
              {of.type === 'timestamp' && <span className="text-soft"> · a moment</span>}
            </span>
            {calendar ? (
              <button className="btn h-[24px]" onClick={() => void relate([of])}>
                Relate {of.type === 'timestamp' ? 'its day ' : ''}to {calendar.table}
              </button>
            ) : (
              <button className="btn h-[24px]" onClick={() => void generate(of)}>
                Generate a calendar
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
