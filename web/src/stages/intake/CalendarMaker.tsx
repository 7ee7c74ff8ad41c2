import { useMemo, useState } from 'react';
import type { FiscalYear } from '@crease/core/calendar';
import { CALENDAR_COLUMNS, MONTH_NAMES } from '@crease/core/calendar';
import { addCalendar, applyEdit, USUAL_CALENDAR } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import type { DayOf } from '@crease/core/stars';
import { daysWithoutCalendar, relateToCalendar } from '@crease/core/stars';
import { DATE, formatDate, textReader } from '@crease/core/values';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { count, many } from '../../parts/text.ts';
import { CalendarColumns } from './CalendarColumns.tsx';
import type { DaySpan } from './useDaySpans.ts';
import { pathOf, useDaySpans } from './useDaySpans.ts';

const day = textReader(DATE);
const MOST_DAYS = 200 * 366;

/** What is wrong with what was entered, if anything. */
function faultOf(model: Model, name: string, first: number | undefined, last: number | undefined) {
  if (first === undefined || last === undefined) return 'enter both days';
  if (last < first) return 'the last day lies before the first';
  if (last - first >= MOST_DAYS)
    return `${count(last - first + 1)} days are too many: the most are 200 years`;
  if (name === '') return 'the table needs a name';
  if (model.tables.some((t) => sameName(t.name, name))) return `a table ${name} already exists`;
  return undefined;
}

/** The whole years of some days; the years of now where there are none. */
function yearsOf(spans: readonly DaySpan[]): { from: string; to: string } {
  const now = new Date().getFullYear();
  const years = spans.flatMap(({ least, greatest }) => [least.slice(0, 4), greatest.slice(0, 4)]).sort();
  return { from: `${years[0] ?? now - 3}-01-01`, to: `${years.at(-1) ?? now + 1}-12-31` };
}

/**
 * A calendar made from its first and last day: its columns are chosen and looked at before it is made. Days
 * of facts that have none are related to it in the same act; `covers` is the one (`table.column`) that it is
 * made for.
 */
export function CalendarMaker({ covers, onBack }: { covers?: string | undefined; onBack: () => void }) {
  const { edit, model } = useModel();
  const open = useMemo(() => daysWithoutCalendar(model), [model]);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const related = open.filter((of) => !left.has(pathOf(of)));
  const spans = useDaySpans(open);
  const years = yearsOf(related.flatMap((of) => spans[pathOf(of)] ?? []));
  const [givenName, setName] = useState<string>();
  const name = (givenName ?? freeName('calendar', model.tables)).trim();
  const [chosenFrom, setFrom] = useState<string>();
  const [chosenTo, setTo] = useState<string>();
  const [from, to] = [chosenFrom ?? years.from, chosenTo ?? years.to];
  const [fiscalYear, setFiscalYear] = useState<FiscalYear>({ firstMonth: 1, namedBy: 'end' });
  const [taken, setTaken] = useState<ReadonlySet<string>>(new Set(USUAL_CALENDAR));
  const [first, last] = [day(from) as number | undefined, day(to) as number | undefined];
  const fault = faultOf(model, name, first, last);

  const make = async () => {
    const added = addCalendar({
      table: name,
      from: formatDate(first!),
      to: formatDate(last!),
      columns: Object.keys(CALENDAR_COLUMNS).filter((n) => taken.has(n)),
      ...(fiscalYear.firstMonth === 1 ? {} : { fiscalYear }),
    });
    const ends = relateToCalendar(applyEdit(model, added), related, { table: name, day: 'day' });
    const also = related.length === 0 ? '' : ` for ${many(related.length, 'column')}`;
    if (await edit([...added, ...ends], `generate the calendar ${name}${also}`)) onBack();
  };

  return (
    <>
      <LeafHead
        title="Generated calendar"
        note={fault === undefined ? `${count(last! - first! + 1)} days` : ''}
      >
        <button className="btn" onClick={onBack}>
          Back
        </button>
        <button className="btn btn-act" disabled={fault !== undefined} onClick={() => void make()}>
          Create calendar
        </button>
      </LeafHead>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-rule px-4 py-2">
        <label className="flex items-center gap-2">
          table
          <input
            className="field w-[130px] font-semibold"
            value={givenName ?? name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <label className="flex items-center gap-2">
          from
          <input type="date" className="field" value={from} onChange={(e) => setFrom(e.target.value)} />
        </label>
        <label className="flex items-center gap-2">
          to
          <input type="date" className="field" value={to} onChange={(e) => setTo(e.target.value)} />
        </label>
        <FiscalYearFields value={fiscalYear} onChange={setFiscalYear} />
        {fault !== undefined && (
          <span role="status" className="text-vermilion">
            {fault}
          </span>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {open.length > 0 && (
          <DaysToRelate
            open={covers === undefined ? open : atHead(open, covers)}
            spans={spans}
            left={left}
            onLeave={(path, leave) =>
              setLeft((before) => new Set(leave ? [...before, path] : [...before].filter((p) => p !== path)))
            }
          />
        )}
        <CalendarColumns
          first={first}
          last={last}
          fiscalYear={fiscalYear}
          taken={taken}
          onTake={(column, take) =>
            setTaken(
              (before) => new Set(take ? [...before, column] : [...before].filter((x) => x !== column)),
            )
          }
        />
      </div>
    </>
  );
}

/** The same, with the one that the calendar is made for at the head. */
const atHead = (open: readonly DayOf[], path: string): readonly DayOf[] => [
  ...open.filter((of) => pathOf(of) === path),
  ...open.filter((of) => pathOf(of) !== path),
];

function FiscalYearFields({ value, onChange }: { value: FiscalYear; onChange: (year: FiscalYear) => void }) {
  return (
    <>
      <label className="flex items-center gap-2">
        fiscal year from
        <select
          className="field"
          value={value.firstMonth}
          onChange={(e) => onChange({ ...value, firstMonth: Number(e.target.value) })}
        >
          {MONTH_NAMES.map((month, i) => (
            <option key={month} value={i + 1}>
              {month}
            </option>
          ))}
        </select>
      </label>
      {value.firstMonth > 1 && (
        <label className="flex items-center gap-2">
          named by its
          <select
            className="field"
            value={value.namedBy}
            onChange={(e) => onChange({ ...value, namedBy: e.target.value as 'start' | 'end' })}
          >
            <option value="start">first year</option>
            <option value="end">last year</option>
          </select>
        </label>
      )}
    </>
  );
}

/** Days of facts that have no calendar yet: those that are ticked are related to this one. */
function DaysToRelate({
  open,
  spans,
  left,
  onLeave,
}: {
  open: readonly DayOf[];
  spans: Readonly<Record<string, DaySpan>>;
  left: ReadonlySet<string>;
  onLeave: (path: string, leave: boolean) => void;
}) {
  return (
    <fieldset className="border-b border-rule px-4 py-2">
      <legend className="sr-only">Columns to relate to it</legend>
      <p className="text-soft">Relate to it:</p>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(360px,1fr))] gap-x-6">
        {open.map((of) => {
          const [path, span] = [pathOf(of), spans[pathOf(of)]];
          return (
            <label key={path} className="flex items-baseline gap-2 py-[2px]">
              <input
                type="checkbox"
                checked={!left.has(path)}
                onChange={(e) => onLeave(path, !e.target.checked)}
              />
              <span className="min-w-0 truncate">
                {of.type === 'timestamp' ? 'the day of ' : ''}
                <b>{of.column}</b> of {of.table}
                {span && (
                  <span className="text-soft">
                    {' '}
                    · {span.least} to {span.greatest}
                  </span>
                )}
              </span>
            </label>
          );
        })}
      </div>
    </fieldset>
  );
}
