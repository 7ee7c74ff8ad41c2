import { useMemo, useState } from 'react';
import { CALENDAR_COLUMNS, generateCalendar } from '@crease/core/calendar';
import { columnValues } from '@crease/core/columns';
import { DATE, formatDate, formatType, textReader, toText } from '@crease/core/values';
import { useModel } from '../../state/model.tsx';
import { useColumnFacts } from '../../evidence/SelectionFacts.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { count } from '../../parts/text.ts';

const day = textReader(DATE);
const MONTHS = Array.from({ length: 12 }, (_, i) =>
  new Intl.DateTimeFormat('en', { month: 'long' }).format(new Date(2026, i, 1)),
);
const USUAL = [
  'day',
  'year',
  'year_quarter',
  'quarter',
  'year_month',
  'month',
  'month_name',
  'day_of_week',
  'day_name',
];
const MOST_DAYS = 200 * 366;
/** Different values that are shown of a column, of so many days from the first. */
const SHOWN = 6;
const LOOKED_AT = 3 * 366;

/** Levels of a calendar's hierarchy, where their columns are taken. */
const LEVELS: readonly (readonly [string, string])[] = [
  ['Year', 'year'],
  ['Quarter', 'year_quarter'],
  ['Month', 'year_month'],
  ['Day', 'day'],
];

/**
 * A calendar made from its first and last day: its columns are chosen and looked at before it is made.
 * `covers` is a column of days (`table.column`) whose years it is to span.
 */
export function CalendarMaker({ covers, onBack }: { covers?: string | undefined; onBack: () => void }) {
  const { edit, model, names: modelNames } = useModel();
  const covered = covers === undefined ? undefined : modelNames.path(covers);
  const found = useColumnFacts(covered?.table.name).data?.find((f) => f.name === covered?.column.name);
  // A column that cannot be had tells no days: the years of now are offered.
  const facts = found?.fault === undefined ? found : undefined;
  const thisYear = new Date().getFullYear();
  const [name, setName] = useState('calendar');
  const [chosenFrom, setFrom] = useState<string>();
  const [chosenTo, setTo] = useState<string>();
  const yearOf = (value: unknown, otherwise: number): string =>
    typeof value === 'string' ? value.slice(0, 4) : String(otherwise);
  const from = chosenFrom ?? `${yearOf(facts?.least, thisYear - 3)}-01-01`;
  const to = chosenTo ?? `${yearOf(facts?.greatest, thisYear + 1)}-12-31`;
  const [firstMonth, setFirstMonth] = useState(1);
  const [namedBy, setNamedBy] = useState<'start' | 'end'>('end');
  const [taken, setTaken] = useState<ReadonlySet<string>>(new Set(USUAL));
  const [first, last] = [day(from) as number | undefined, day(to) as number | undefined];
  const fiscal = useMemo(() => ({ firstMonth, namedBy }), [firstMonth, namedBy]);
  const names = Object.keys(CALENDAR_COLUMNS).filter((n) => taken.has(n));
  const days = first !== undefined && last !== undefined ? last - first + 1 : 0;
  const fault =
    first === undefined || last === undefined
      ? 'enter both days'
      : days < 1
        ? 'the last day lies before the first'
        : days > MOST_DAYS
          ? `${count(days)} days are too many: the most are 200 years`
          : name.trim() === ''
            ? 'the table needs a name'
            : model.tables.some((t) => t.name.toLowerCase() === name.trim().toLowerCase())
              ? `a table ${name.trim()} already exists`
              : undefined;
  const shown = useMemo(() => {
    if (first === undefined || last === undefined || last < first) return [];
    return generateCalendar(first, Math.min(last, first + LOOKED_AT - 1), names, fiscal).map((column) => {
      const codes = [...new Set<number>(column.codes)].slice(0, SHOWN);
      return codes.map((code) => toText(columnValues(column)[code]!, column.type));
    });
  }, [first, last, names, fiscal]);

  const make = async () => {
    const table = name.trim();
    const columns = names.map((n) => ({
      name: n,
      type: formatType(CALENDAR_COLUMNS[n]!.type),
      use: n === 'day' ? ('key' as const) : ('attribute' as const),
    }));
    const source = { calendar: { from: formatDate(first!), to: formatDate(last!) } };
    const levels = LEVELS.filter(([, column]) => taken.has(column)).map(([level, column]) => ({
      name: level,
      column,
    }));
    const done = await edit(
      [
        {
          do: 'put-tables',
          name: null,
          value: { name: table, role: 'dimension', source, key: ['day'], label: 'day', columns },
        },
        {
          do: 'put-calendar',
          value: { table, day: 'day', ...(firstMonth === 1 ? {} : { fiscalYear: fiscal }) },
        },
        ...(levels.length > 1
          ? [{ do: 'put-hierarchies' as const, name: null, value: { name: 'Calendar', table, levels } }]
          : []),
      ],
      `generate the calendar ${table}`,
    );
    if (done) onBack();
  };

  return (
    <>
      <LeafHead title="Generated calendar" note={fault === undefined ? `${count(days)} days` : ''}>
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
            value={name}
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
        <label className="flex items-center gap-2">
          fiscal year from
          <select
            className="field"
            value={firstMonth}
            onChange={(e) => setFirstMonth(Number(e.target.value))}
          >
            {MONTHS.map((month, i) => (
              <option key={month} value={i + 1}>
                {month}
              </option>
            ))}
          </select>
        </label>
        {firstMonth > 1 && (
          <label className="flex items-center gap-2">
            named by its
            <select
              className="field"
              value={namedBy}
              onChange={(e) => setNamedBy(e.target.value as 'start' | 'end')}
            >
              <option value="start">first year</option>
              <option value="end">last year</option>
            </select>
          </label>
        )}
        {covered && facts && (
          <span className="text-soft">
            {covered.table.name}.{covered.column.name} goes from {String(facts.least)} to{' '}
            {String(facts.greatest)}
          </span>
        )}
        {fault !== undefined && (
          <span role="status" className="text-vermilion">
            {fault}
          </span>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="grid-plain" aria-label="Columns of the calendar">
          <thead>
            <tr>
              <th scope="col">take</th>
              <th scope="col">column</th>
              <th scope="col">type</th>
              <th scope="col">holds</th>
              <th scope="col">first values</th>
            </tr>
          </thead>
          <tbody>
            {Object.entries(CALENDAR_COLUMNS).map(([n, column]) => (
              <tr key={n} className={taken.has(n) ? '' : 'opacity-45'}>
                <td>
                  <input
                    type="checkbox"
                    checked={taken.has(n)}
                    disabled={n === 'day'}
                    aria-label={`Include ${n}`}
                    onChange={(e) =>
                      setTaken(
                        (before) =>
                          new Set(e.target.checked ? [...before, n] : [...before].filter((x) => x !== n)),
                      )
                    }
                  />
                </td>
                <td className="font-semibold">{n}</td>
                <td className="text-soft">{formatType(column.type)}</td>
                <td className="text-soft">{column.says}</td>
                <td className="max-w-[300px] truncate text-soft">{shown[names.indexOf(n)]?.join(' · ')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
