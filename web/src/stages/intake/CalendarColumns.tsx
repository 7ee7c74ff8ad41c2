import { useMemo } from 'react';
import type { FiscalYear } from '@crease/core/calendar';
import { CALENDAR_COLUMNS, generateCalendar } from '@crease/core/calendar';
import { columnValues } from '@crease/core/columns';
import { formatType, toText } from '@crease/core/values';

/** Different values that are shown of a column, of so many days from the first. */
const SHOWN = 6;
const LOOKED_AT = 3 * 366;

/** The columns that a calendar may have, with their first values; those that are taken are ticked. */
export function CalendarColumns({
  first,
  last,
  fiscalYear,
  taken,
  onTake,
}: {
  /** Days since 1970-01-01; undefined where none is chosen. */
  first: number | undefined;
  last: number | undefined;
  fiscalYear: FiscalYear;
  taken: ReadonlySet<string>;
  onTake: (column: string, take: boolean) => void;
}) {
  const shown = useMemo(() => {
    if (first === undefined || last === undefined || last < first) return new Map<string, string[]>();
    const names = Object.keys(CALENDAR_COLUMNS);
    const columns = generateCalendar(first, Math.min(last, first + LOOKED_AT - 1), names, fiscalYear);
    return new Map(
      columns.map((column, i) => {
        const codes = [...new Set<number>(column.codes)].slice(0, SHOWN);
        return [names[i]!, codes.map((code) => toText(columnValues(column)[code]!, column.type))];
      }),
    );
  }, [first, last, fiscalYear]);
  return (
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
        {Object.entries(CALENDAR_COLUMNS).map(([name, column]) => (
          <tr key={name} className={taken.has(name) ? '' : 'opacity-45'}>
            <td>
              <input
                type="checkbox"
                checked={taken.has(name)}
                disabled={name === 'day'}
                aria-label={`Include ${name}`}
                onChange={(e) => onTake(name, e.target.checked)}
              />
            </td>
            <td className="font-semibold">{name}</td>
            <td className="text-soft">{formatType(column.type)}</td>
            <td className="text-soft">{column.says}</td>
            <td className="max-w-[300px] truncate text-soft">{shown.get(name)?.join(' · ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
