import type { CalendarSource } from '@crease/core/model';
import type { Hierarchy } from '@crease/core/model';
import type { Dependent } from '@crease/core/stars';
import { useState } from 'react';
import type { Edit } from '@crease/core/edit';
import type { Table } from '@crease/core/model';
import { nameWords, sameName, calendarOf } from '@crease/core/model';
import { FormulaChecker } from '@crease/core/formula';
import type { Calendar } from '@crease/core/calendar';
import { usualHierarchies } from '@crease/core/calendar';
import { dependentsOf } from '@crease/core/stars';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import { DaysWithout } from './DaysWithout.tsx';
import { FiscalYearFields } from './FiscalYearFields.tsx';
import { LinkNote, OfferedCalendars, useSharedCalendars } from './SharedCalendars.tsx';

/**
 * Calendars of the model: the day, the fiscal year, the usual hierarchies, which of them is the default, and
 * what hangs on each.
 */
export function Calendars() {
  const { model } = useModel();
  const calendars = model.calendars ?? [];
  const candidates = model.tables.filter(
    (t) =>
      t.role === 'dimension' && !calendars.some((c) => sameName(c.table, t.name)) && dayOf(t) !== undefined,
  );
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      {calendars.map((c) => (
        <CalendarCard key={c.table} calendar={c} />
      ))}
      {candidates.map((t) => (
        <Recognise key={t.name} table={t} />
      ))}
      {calendars.length === 0 && candidates.length === 0 && (
        <p className="p-4 text-soft">
          No table has a date as its key. Generate a calendar on the Intake stage, or choose a date column as
          the key of a dimension.
        </p>
      )}
      <DaysWithout />
      <OfferedCalendars />
    </div>
  );
}

/**
 * The column that may be the day of a calendar: a key of days, or beside another key the one that parts of
 * dates stand with.
 */
function dayOf(table: Table): string | undefined {
  const last = (name: string) => nameWords(name).at(-1) ?? '';
  const days = table.columns.filter((c) => c.type === 'date');
  const inKey = days.find((c) => (table.key ?? []).some((k) => sameName(k, c.name)));
  const hasParts = table.columns.some((c) => ['year', 'quarter', 'month'].includes(last(c.name)));
  return (inKey ?? (hasParts ? days.find((c) => ['day', 'date'].includes(last(c.name))) : undefined))?.name;
}

function Recognise({ table }: { table: Table }) {
  const { edit } = useModel();
  const day = dayOf(table)!;
  return (
    <p className="flex items-center gap-3 border-b border-rule px-4 py-3">
      <span className="flex-1">
        <b>{table.name}</b> has one row a day, by {day}: it could be a calendar.
      </span>
      <button
        className="btn"
        onClick={() =>
          void edit(
            [{ do: 'put-calendar', value: { table: table.name, day } }],
            `use ${table.name} as a calendar`,
          )
        }
      >
        Use as calendar
      </button>
    </p>
  );
}

function CalendarCard({ calendar }: { calendar: Calendar }) {
  const { model, names, edit } = useModel();
  const [numbered, setNumbered] = useState(false);
  const [removing, setRemoving] = useState(false);
  const followers =
    useSharedCalendars().data?.followers.filter((f) => sameName(f.table, calendar.table)) ?? [];
  const table = names.table(calendar.table);
  if (!table) return <p className="p-4 text-vermilion">The calendar {calendar.table} is gone.</p>;
  const generated = calendarOf(table);
  const own = (model.hierarchies ?? []).filter((h) => sameName(h.table, table.name));
  const missing = usualHierarchies(table, calendar.day, numbered).filter(
    (h) => !own.some((o) => sameName(o.name, h.name)),
  );
  const dependents = dependentsOf(new FormulaChecker(model), table.name);
  const put = (next: Calendar, says: string) => void edit([{ do: 'put-calendar', value: next }], says);
  const setDefault = (name: string) => {
    const changed = own.filter((h) => (h.default === true) !== (h.name === name));
    void edit(
      changed.map((h): Edit[number] => ({
        do: 'put-hierarchies',
        name: h.name,
        value: { ...h, default: h.name === name },
      })),
      `make ${name} the default hierarchy of ${table.name}`,
    );
  };
  return (
    <section aria-label={`Calendar ${table.name}`} className="border-b border-rule px-4 py-3">
      <h2 className="mb-2 text-[15px]">{table.name}</h2>
      <LinkNote calendar={calendar} />
      <fieldset
        disabled={calendar.follows !== undefined}
        className="grid grid-cols-[150px_1fr] items-center gap-x-3 gap-y-2"
      >
        <label htmlFor={`day-${table.name}`} className="text-soft">
          Day column
        </label>
        <DayField table={table} calendar={calendar} put={put} generated={generated} />
        <FiscalYearFields table={table} calendar={calendar} />
        <span className="text-soft">Hierarchies</span>
        <DefaultHierarchies own={own} table={table} setDefault={setDefault} />
        {missing.length > 0 && (
          <>
            <span className="text-soft">usual ones</span>
            <UsualHierarchies missing={missing} table={table} numbered={numbered} setNumbered={setNumbered} />
          </>
        )}
      </fieldset>
      <div className="mt-2 grid grid-cols-[150px_1fr] items-center gap-x-3">
        <span className="text-soft">Used by</span>
        <span>
          {dependents.length + followers.length === 0 ? (
            <span className="text-soft">nothing</span>
          ) : (
            summary(dependents)
          )}
          {followers.length > 0 &&
            `${dependents.length > 0 ? ', and ' : ''}the calendars of ${followers.map((f) => f.title).join(', ')}, which follow it`}
          {!removing && (
            <button className="btn btn-bare ml-2 h-[22px]" onClick={() => setRemoving(true)}>
              Not a calendar …
            </button>
          )}
        </span>
      </div>
      {removing && (
        <RemoveCalendar
          dependents={dependents}
          followers={followers}
          table={table}
          calendar={calendar}
          setRemoving={setRemoving}
        />
      )}
    </section>
  );
}

function summary(dependents: ReturnType<typeof dependentsOf>): string {
  return [...Map.groupBy(dependents, (h) => h.kind)]
    .map(([kind, list]) =>
      kind === 'hierarchy'
        ? list.length === 1
          ? '1 hierarchy'
          : `${list.length} hierarchies`
        : many(list.length, kind),
    )
    .join(', ');
}

/** Which column has the days, and how they are written where they are texts. */
function DayField({
  table,
  calendar,
  put,
  generated,
}: {
  table: Table;
  calendar: Calendar;
  put: (next: Calendar, says: string) => undefined;
  generated: CalendarSource | undefined;
}) {
  const { edit } = useModel();
  return (
    <span className="flex flex-wrap items-center gap-2">
      <select
        id={`day-${table.name}`}
        className="field"
        value={calendar.day}
        onChange={(e) =>
          put({ ...calendar, day: e.target.value }, `set the day of ${table.name} to ${e.target.value}`)
        }
      >
        {table.columns
          .filter((c) => c.type === 'date' || sameName(c.name, calendar.day))
          .map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
      </select>
      {generated ? (
        <span className="text-soft">
          Generated from {generated.calendar.from} to {generated.calendar.to}
        </span>
      ) : (
        <label className="flex items-center gap-1 text-soft">
          Date format
          <input
            key={table.columns.find((c) => sameName(c.name, calendar.day))?.pattern ?? ''}
            className="field w-[110px]"
            aria-label={`Pattern of ${calendar.day}`}
            placeholder="yyyy-MM-dd"
            defaultValue={table.columns.find((c) => sameName(c.name, calendar.day))?.pattern ?? ''}
            onBlur={(e) => {
              const pattern = e.target.value.trim();
              if (pattern !== (table.columns.find((c) => sameName(c.name, calendar.day))?.pattern ?? ''))
                void edit(
                  [{ do: 'set-column', table: table.name, column: calendar.day, change: { pattern } }],
                  `${table.name}.${calendar.day} is written as ${pattern || 'yyyy-MM-dd'}`,
                );
            }}
            onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
          />
        </label>
      )}
    </span>
  );
}

/** Which of its hierarchies trials and targets use where none is named. */
function DefaultHierarchies({
  own,
  table,
  setDefault,
}: {
  own: readonly Hierarchy[];
  table: Table;
  setDefault: (name: string) => void;
}) {
  return (
    <span className="flex flex-wrap items-center gap-2">
      {own.length === 0 && <span className="text-soft">none</span>}
      {own.map((h) => (
        <label
          key={h.name}
          className="flex items-center gap-1"
          title="Used by trials and targets where none is named"
        >
          <input
            type="radio"
            name={`default-${table.name}`}
            checked={h.default === true}
            onChange={() => setDefault(h.name)}
          />
          {h.name}
          {h.default && <span className="text-soft">(default)</span>}
        </label>
      ))}
    </span>
  );
}

/** Hierarchies of calendars that this one lacks, to add. */
function UsualHierarchies({
  missing,
  table,
  numbered,
  setNumbered,
}: {
  missing: readonly Hierarchy[];
  table: Table;
  numbered: boolean;
  setNumbered: (next: boolean) => void;
}) {
  const { edit } = useModel();
  return (
    <span className="flex flex-wrap items-center gap-2">
      {missing.map((h) => (
        <button
          key={h.name}
          className="btn h-[24px]"
          title={h.levels!.map((l) => l.name).join(' › ')}
          onClick={() =>
            void edit(
              [{ do: 'put-hierarchies', name: null, value: { ...h } }],
              `add ${h.name} to ${table.name}`,
            )
          }
        >
          Add {h.name}
        </button>
      ))}
      <label className="flex items-center gap-1 text-soft">
        <input type="checkbox" checked={numbered} onChange={(e) => setNumbered(e.target.checked)} />
        fiscal periods by number
      </label>
    </span>
  );
}

/** What no longer works without the calendar, before it is removed. */
function RemoveCalendar({
  dependents,
  followers,
  table,
  calendar,
  setRemoving,
}: {
  dependents: readonly Dependent[];
  followers: { table: string; model: number; title: string }[];
  table: Table;
  calendar: Calendar;
  setRemoving: (next: boolean) => void;
}) {
  const { edit } = useModel();
  return (
    <div role="alert" className="mt-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
      <p>
        Periods need a calendar:{' '}
        {dependents.length + followers.length === 0
          ? 'nothing uses this one.'
          : `${[...followers.map((f) => `the calendar of ${f.title}`), ...dependents.map((h) => h.name)]
              .slice(0, 12)
              .join(', ')}${dependents.length > 12 ? ' …' : ''} use ${table.name}.`}{' '}
        The table and its rows stay.
      </p>
      <p className="mt-2 flex gap-2">
        <button
          className="btn"
          onClick={() =>
            void edit(
              [{ do: 'remove-calendar', table: calendar.table }],
              `stop using ${table.name} as a calendar`,
            ).then(() => setRemoving(false))
          }
        >
          Not a calendar
        </button>
        <button className="btn btn-bare" onClick={() => setRemoving(false)}>
          Cancel
        </button>
      </p>
    </div>
  );
}
