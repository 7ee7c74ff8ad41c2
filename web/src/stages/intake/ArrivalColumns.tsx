import { useState } from 'react';
import type { Table } from '@crease/core/model';
import { count } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';
import { ColumnStrip } from './ColumnStrip.tsx';

/** Of files with more columns the first are listed, and those that are searched for. */
const MOST_SHOWN = 200;

interface Props {
  readonly arrival: Arrival;
  readonly preview: NonNullable<Arrival['preview']>;
  readonly existing: Table | undefined;
  /** A change that needs no other look at the file, and one that does; by the column's place. */
  readonly onColumn: (index: number, change: Partial<ArrivingColumn>) => void;
  readonly onRead: (index: number, change: Partial<ArrivingColumn>) => void;
}

/** Each column of a file as a strip of type, fill, distinct count and distribution. */
export function ArrivalColumns({ arrival, preview, existing, onColumn, onRead }: Props) {
  const [search, setSearch] = useState('');
  const shown = arrival.columns
    .map((c, i) => ({ c, i }))
    .filter(({ c }) => c.name.toLowerCase().includes(search.trim().toLowerCase()))
    .slice(0, MOST_SHOWN);
  return (
    <>
      <div className="max-h-[380px] overflow-auto">
        <table className="grid-plain">
          <thead>
            <tr>
              <th scope="col">import</th>
              <th scope="col">column</th>
              <th scope="col">type</th>
              <th scope="col">filled</th>
              <th scope="col" className="num">
                distinct
              </th>
              <th scope="col">distribution</th>
              <th scope="col">for example</th>
            </tr>
          </thead>
          <tbody>
            {shown.map(({ c, i }) => (
              <ColumnStrip
                key={`${c.fileName}${i}`}
                column={c}
                preview={preview.columns[i]!}
                rows={preview.rows}
                drawn={arrival.upload?.origin !== undefined}
                isNew={!existing?.columns.some((m) => m.name.toLowerCase() === c.name.toLowerCase())}
                onChange={(change) => onColumn(i, change)}
                onRead={(change) => onRead(i, change)}
              />
            ))}
          </tbody>
        </table>
      </div>
      {arrival.columns.length > MOST_SHOWN && (
        <p className="flex items-center gap-3 px-4 py-1 text-soft">
          {count(shown.length)} of {count(arrival.columns.length)} columns are listed; all are imported as
          they are ticked.
          <input
            className="field h-[24px] w-[160px]"
            type="search"
            placeholder="find a column"
            aria-label={`Find a column of ${arrival.name}`}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
        </p>
      )}
    </>
  );
}
