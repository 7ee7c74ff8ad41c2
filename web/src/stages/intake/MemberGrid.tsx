import { useRef } from 'react';
import type { ClipboardEvent, KeyboardEvent } from 'react';
import { Plus, X } from 'lucide-react';
import type { membersOf } from '@crease/core/reading';
import { cellsOf } from '@crease/core/reading';
import type { DataType } from '@crease/core/values';
import { parseType } from '@crease/core/values';
import type { Cells } from './typedCells.ts';
import { withCell, withColumn, withoutRow, withPasted, withRow } from './typedCells.ts';

const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];
/** More rows than this belong into a file. */
export const MOST_ROWS = 2000;

interface Props {
  readonly cells: Cells;
  /** What the cells make. */
  readonly made: ReturnType<typeof membersOf>;
  /** Names of columns that the table has already: they are renamed elsewhere. */
  readonly called: ReadonlySet<string>;
  readonly onCells: (change: (cells: Cells) => Cells) => void;
  readonly onType: (column: number, type: DataType) => void;
  readonly onRemoveColumn: (column: number) => void;
  readonly onTooMany: (rows: number) => void;
}

/** Cells that are typed, or pasted from a spreadsheet, with the type of each column above. */
export function MemberGrid(props: Props) {
  const { cells, made, called, onCells, onType, onRemoveColumn, onTooMany } = props;
  const grid = useRef<HTMLTableElement>(null);
  // Rows of the grid that count as members, by their place among the members.
  const filled = cells.flatMap((r, i) => (i > 0 && r.some((c) => c.trim() !== '') ? [i] : []));
  const misfit = (row: number, column: number) =>
    made.columns[column]?.misfits.some((m) => filled[m] === row) ?? false;

  /** A text of several cells goes into the grid from the cell on. */
  const paste = (event: ClipboardEvent, row: number, column: number) => {
    const text = event.clipboardData.getData('text/plain');
    if (!/[\t\n\r]/.test(text.trimEnd())) return;
    event.preventDefault();
    const pasted = cellsOf(text);
    if (row + pasted.length - 1 > MOST_ROWS) onTooMany(pasted.length);
    else onCells((all) => withPasted(all, pasted, row, column));
  };

  /** Enter and the arrows up and down move between rows; Enter in the last row makes another. */
  const move = (event: KeyboardEvent, row: number, column: number) => {
    const step = event.key === 'Enter' || event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    if (event.key === 'Enter' && row === cells.length - 1) onCells(withRow);
    requestAnimationFrame(() =>
      grid.current?.querySelector<HTMLInputElement>(`[data-cell="${row + step}-${column}"]`)?.focus(),
    );
  };
  return (
    <>
      <table ref={grid} className="grid-plain" aria-label="Members">
        <thead>
          <tr>
            {made.columns.map((c, j) => (
              <th key={j} scope="col">
                <span className="flex items-center gap-1">
                  <select
                    className="field h-[24px] w-[104px] px-1"
                    value={c.type}
                    aria-label={`Type of column ${j + 1}`}
                    onChange={(e) => onType(j, parseType(e.target.value)!)}
                  >
                    {(TYPES.includes(c.type) ? TYPES : [c.type, ...TYPES]).map((t) => (
                      <option key={t}>{t}</option>
                    ))}
                  </select>
                  {cells[0]!.length > 1 && (
                    <button
                      className="btn btn-bare px-1"
                      onClick={() => onRemoveColumn(j)}
                      aria-label={`Remove column ${j + 1}`}
                    >
                      <X size={12} aria-hidden />
                    </button>
                  )}
                </span>
              </th>
            ))}
            <th scope="col">
              <button className="btn btn-bare" onClick={() => onCells(withColumn)}>
                <Plus size={12} aria-hidden /> column
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          {cells.map((row, i) => (
            <tr key={i}>
              {row.map((text, j) => (
                <td key={j} className="p-0">
                  <input
                    data-cell={`${i}-${j}`}
                    className={`field h-[26px] w-full min-w-[120px] border-transparent bg-transparent hover:border-rule ${i === 0 ? 'font-semibold' : ''} ${misfit(i, j) ? 'text-vermilion' : ''}`}
                    aria-invalid={misfit(i, j)}
                    value={text}
                    readOnly={i === 0 && called.has(text)}
                    title={
                      i === 0 && called.has(text)
                        ? 'Rename it on the Shape stage, where formulas follow'
                        : undefined
                    }
                    placeholder={i === 0 ? `name ${j + 1}` : ''}
                    aria-label={i === 0 ? `Name of column ${j + 1}` : `Row ${i}, column ${j + 1}`}
                    onChange={(e) => onCells((all) => withCell(all, i, j, e.target.value))}
                    onPaste={(e) => paste(e, i, j)}
                    onKeyDown={(e) => move(e, i, j)}
                  />
                </td>
              ))}
              <td>
                {i > 0 && (
                  <button
                    className="btn btn-bare px-1"
                    onClick={() => onCells((all) => withoutRow(all, i))}
                    aria-label={`Remove row ${i}`}
                  >
                    <X size={12} aria-hidden />
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <button className="btn btn-bare m-3" onClick={() => onCells(withRow)}>
        <Plus size={12} aria-hidden /> row
      </button>
    </>
  );
}
