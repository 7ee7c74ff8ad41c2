import { useState } from 'react';
import type { KeyboardEvent } from 'react';
import type { AggregateRows, CorrectedCell } from '@crease/core/rows';
import { useModel } from '../../state/model.tsx';
import { useSaid } from './said.ts';
import { formatValue, isNumeric } from '../../parts/format.ts';
import { count } from '../../parts/text.ts';

const STEPS: Readonly<Record<string, readonly [row: number, column: number]>> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/**
 * The rows that are listed. One cell can be come to by Tab, the others from it by arrows; Enter or a double
 * click on a value that can be corrected does so.
 */
export function RowsTable({
  rows,
  canCorrect,
  onCorrect,
  onRemove,
}: {
  rows: AggregateRows;
  canCorrect: (column: number) => boolean;
  onCorrect: (row: number, column: number) => void;
  onRemove: (name: string) => void;
}) {
  const [at, setAt] = useState({ row: 0, column: 0 });
  const { isReader } = useModel();
  const said = useSaid();
  const own = `${isReader ? said.table(rows.table) : rows.table}${isReader ? ': ' : '.'}`;
  const titleOf = ({ name, title }: AggregateRows['columns'][number]): string =>
    title ?? said.column(name).replace(own, '');
  const hasLines = rows.lines.length > 0;
  const correctable = rows.columns.map((_, column) => canCorrect(column));
  const corrected = new Map((rows.corrected ?? []).map((c) => [`${c.row} ${c.column}`, c]));
  const onKeyDown = (event: KeyboardEvent<HTMLTableSectionElement>) => {
    if (event.key === 'Enter' && correctable[at.column] && event.target instanceof HTMLTableCellElement) {
      // The field that comes into focus must not take this Enter for its own.
      event.preventDefault();
      onCorrect(at.row, at.column);
    }
    const [down, right] = STEPS[event.key] ?? [];
    if (down === undefined) return;
    event.preventDefault();
    const next = {
      row: Math.min(rows.rows.length - 1, Math.max(0, at.row + down)),
      column: Math.min(rows.columns.length - 1, Math.max(0, at.column + right!)),
    };
    setAt(next);
    event.currentTarget.rows[next.row]?.cells[next.column]?.focus();
  };
  const isThere = at.row < rows.rows.length && at.column < rows.columns.length;
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      {correctable.includes(true) && (
        <p className="flex items-center gap-2 px-4 py-1 text-soft">
          <button
            className="btn h-[24px] shrink-0 whitespace-nowrap"
            disabled={!isThere || !correctable[at.column]}
            onClick={() => onCorrect(at.row, at.column)}
          >
            Correct the chosen value
          </button>
          Values of {rows.table} can be corrected by hand; the source stays as it is.
        </p>
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="grid-plain" aria-label={`Rows of ${rows.table}`}>
          <thead className="sticky top-0 z-10 bg-leaf">
            <tr>
              {rows.columns.map((c) => (
                <th
                  key={c.name}
                  scope="col"
                  className={isNumeric(c.type) ? 'num' : ''}
                  title={isReader ? titleOf(c) : c.name}
                >
                  {titleOf(c)}
                  <button
                    className="btn btn-bare ml-1 h-[18px] px-[2px]"
                    aria-label={`Remove ${isReader ? titleOf(c) : c.name}`}
                    onClick={() => onRemove(c.name)}
                  >
                    ×
                  </button>
                </th>
              ))}
              {hasLines && (
                <th scope="col" className="num" title="Of the file that the rows came from">
                  line
                </th>
              )}
            </tr>
          </thead>
          <tbody onKeyDown={onKeyDown}>
            {rows.rows.map((row, i) => (
              <tr key={i}>
                {row.map((value, c) => {
                  const made = corrected.get(`${i} ${c}`);
                  return (
                    <td
                      key={c}
                      tabIndex={isThere ? (at.row === i && at.column === c ? 0 : -1) : i + c === 0 ? 0 : -1}
                      aria-description={made && correctedText(made, rows.columns[c]!.type)}
                      title={made && correctedText(made, rows.columns[c]!.type)}
                      onFocus={() => setAt({ row: i, column: c })}
                      onDoubleClick={() => correctable[c] && onCorrect(i, c)}
                      className={`whitespace-nowrap ${isNumeric(rows.columns[c]!.type) ? 'num' : ''} ${made ? 'underline decoration-double decoration-violet underline-offset-2' : ''}`}
                    >
                      {value === null ? (
                        <i className="text-soft">null</i>
                      ) : (
                        formatValue(value, rows.columns[c]!.type)
                      )}
                    </td>
                  );
                })}
                {hasLines && <td className="num text-soft">{count(rows.lines[i]!)}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

/** What a corrected value stands in place of, and who says so. */
function correctedText({ was, author, comment }: CorrectedCell, type: string): string {
  const read = was === null ? 'null' : formatValue(was, type);
  return `corrected${author ? ` by ${author}` : ''}, was ${read}${comment ? `: ${comment}` : ''}`;
}
