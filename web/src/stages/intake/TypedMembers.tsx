import { useMemo, useRef, useState } from 'react';
import type { ClipboardEvent, KeyboardEvent } from 'react';
import { Plus, X } from 'lucide-react';
import { cellsOf, cellsOfMembers, membersOf } from '@crease/core/reading';
import type { DataType } from '@crease/core/values';
import { parseType } from '@crease/core/values';
import type { Table } from '@crease/core/model';
import { typedMembersOf } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { many } from '../../parts/text.ts';

const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];
const BLANK = [['', ''], ...Array.from({ length: 5 }, () => ['', ''])];
/** More rows than this belong into a file. */
const MOST_ROWS = 2000;

/**
 * A dimension without a source: its members typed, or pasted from a spreadsheet, with the names of the
 * columns in the first row.
 */
export function TypedMembers({ table, onBack }: { table: Table | undefined; onBack: () => void }) {
  const { edit, tell, model } = useModel();
  // Derived columns are worked out, not typed.
  const typed = (table?.columns ?? []).filter((c) => c.formula === undefined);
  const derived = (table?.columns ?? []).filter((c) => c.formula !== undefined);
  const called = new Set(typed.map((c) => c.name));
  const [name, setName] = useState(table?.name ?? '');
  const [cells, setCells] = useState<string[][]>(() => {
    const members = typedMembersOf(table);
    return members ? cellsOfMembers(typed, members) : BLANK;
  });
  const [said, setSaid] = useState<ReadonlyMap<number, DataType>>(
    () => new Map(typed.map((c, place) => [place, parseType(c.type)!] as const)),
  );
  const grid = useRef<HTMLTableElement>(null);
  const made = useMemo(() => membersOf(cells, said), [cells, said]);
  // Rows of the grid that count as members, by their place among the members.
  const filled = cells.flatMap((r, i) => (i > 0 && r.some((c) => c.trim() !== '') ? [i] : []));
  const misfit = (row: number, column: number) =>
    made.columns[column]?.misfits.some((m) => filled[m] === row) ?? false;
  const misfits = made.columns.reduce((sum, c) => sum + c.misfits.length, 0);
  const width = cells[0]!.length;
  const taken = model.tables.some((t) => t !== table && t.name.toLowerCase() === name.trim().toLowerCase());
  const fault =
    name.trim() === ''
      ? 'the table needs a name'
      : taken
        ? `a table ${name.trim()} already exists`
        : made.members.length === 0
          ? 'type or paste at least one row'
          : misfits > 0
            ? `${many(misfits, 'value')} ${misfits === 1 ? 'is' : 'are'} not of the type of the column`
            : undefined;

  const change = (row: number, column: number, text: string) =>
    setCells((all) => all.map((r, i) => (i === row ? r.map((c, j) => (j === column ? text : c)) : r)));
  const addRow = () => setCells((all) => [...all, new Array<string>(width).fill('')]);
  const addColumn = () => setCells((all) => all.map((r) => [...r, '']));
  const removeRow = (row: number) =>
    setCells((all) => (all.length > 2 ? all.filter((_, i) => i !== row) : all));
  const removeColumn = (column: number) => {
    setCells((all) => all.map((r) => r.filter((_, j) => j !== column)));
    setSaid(
      (before) =>
        new Map(
          [...before].flatMap(([place, type]) =>
            place === column ? [] : [[place > column ? place - 1 : place, type] as const],
          ),
        ),
    );
  };

  /** A text of several cells goes into the grid from the cell on; the grid grows as it needs. */
  const paste = (event: ClipboardEvent, row: number, column: number) => {
    const text = event.clipboardData.getData('text/plain');
    if (!/[\t\n\r]/.test(text.trimEnd())) return;
    event.preventDefault();
    const pasted = cellsOf(text);
    if (row + pasted.length - 1 > MOST_ROWS) {
      tell({
        tone: 'wrong',
        text: `${many(pasted.length, 'row')} are too many to type by hand (at most ${MOST_ROWS}): import them as a file`,
      });
      return;
    }
    setCells((all) => {
      const columns = Math.max(all[0]!.length, column + pasted[0]!.length);
      const rows = Math.max(all.length, row + pasted.length);
      return Array.from({ length: rows }, (_, i) =>
        Array.from({ length: columns }, (_c, j) => pasted[i - row]?.[j - column] ?? all[i]?.[j] ?? ''),
      );
    });
  };

  /** Enter and the arrows up and down move between rows; Enter in the last row makes another. */
  const move = (event: KeyboardEvent, row: number, column: number) => {
    const step = event.key === 'Enter' || event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    if (event.key === 'Enter' && row === cells.length - 1) addRow();
    requestAnimationFrame(() =>
      grid.current?.querySelector<HTMLInputElement>(`[data-cell="${row + step}-${column}"]`)?.focus(),
    );
  };

  const save = async () => {
    const columns = made.columns.map((c) => ({
      ...(typed.find((old) => old.name === c.name) ?? { use: 'attribute' as const }),
      name: c.name,
      type: c.type,
    }));
    const unique = made.columns.find((c) => {
      const values = made.members.map((m) => m[c.name]);
      return values.every((v) => v !== undefined) && new Set(values).size === values.length;
    });
    const value = {
      ...(table ?? { role: 'dimension' as const, ...(unique ? { key: [unique.name] } : {}) }),
      name: name.trim(),
      source: { members: made.members },
      columns: [...columns, ...derived],
    };
    const says = table ? `edit the rows of ${table.name}` : `type the rows of ${value.name}`;
    if (await edit([{ do: 'put-tables', name: table?.name ?? null, value }], says)) onBack();
  };

  return (
    <>
      <LeafHead
        title={table ? `Rows of ${table.name}` : 'Rows typed by hand'}
        note={many(made.members.length, 'member')}
      >
        <button className="btn" onClick={onBack}>
          Back
        </button>
        <button className="btn btn-act" disabled={fault !== undefined} onClick={() => void save()}>
          {table ? 'Save' : 'Create table'}
        </button>
      </LeafHead>
      <div className="flex flex-wrap items-center gap-4 border-b border-rule px-4 py-2">
        <label className="flex items-center gap-2">
          table
          <input
            className="field w-[160px] font-semibold"
            value={name}
            readOnly={table !== undefined}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <span className="text-soft">
          Paste from a spreadsheet into any cell. The first row has the column names.
        </span>
        {fault !== undefined && (cells.some((r) => r.some((c) => c !== '')) || name !== '') && (
          <span role="status" className="text-vermilion">
            {fault}
          </span>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
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
                      onChange={(e) =>
                        setSaid((before) => new Map(before).set(j, parseType(e.target.value)!))
                      }
                    >
                      {(TYPES.includes(c.type) ? TYPES : [c.type, ...TYPES]).map((t) => (
                        <option key={t}>{t}</option>
                      ))}
                    </select>
                    {width > 1 && (
                      <button
                        className="btn btn-bare px-1"
                        onClick={() => removeColumn(j)}
                        aria-label={`Remove column ${j + 1}`}
                      >
                        <X size={12} aria-hidden />
                      </button>
                    )}
                  </span>
                </th>
              ))}
              <th scope="col">
                <button className="btn btn-bare" onClick={addColumn}>
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
                      onChange={(e) => change(i, j, e.target.value)}
                      onPaste={(e) => paste(e, i, j)}
                      onKeyDown={(e) => move(e, i, j)}
                    />
                  </td>
                ))}
                <td>
                  {i > 0 && (
                    <button
                      className="btn btn-bare px-1"
                      onClick={() => removeRow(i)}
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
        <button className="btn btn-bare m-3" onClick={addRow}>
          <Plus size={12} aria-hidden /> row
        </button>
        {made.mended.map((m) => (
          <p key={m} className="px-4 text-soft">
            {m}
          </p>
        ))}
      </div>
    </>
  );
}
