import { useMemo, useState } from 'react';
import { cellsOfMembers, membersOf } from '@crease/core/reading';
import type { DataType } from '@crease/core/values';
import { parseType } from '@crease/core/values';
import type { Table } from '@crease/core/model';
import { typedMembersOf } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { many } from '../../parts/text.ts';
import { MemberGrid, MOST_ROWS } from './MemberGrid.tsx';
import type { Cells } from './typedCells.ts';
import { BLANK, typesWithout, withoutColumn } from './typedCells.ts';

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
  const [cells, setCells] = useState<Cells>(() => {
    const members = typedMembersOf(table);
    return members ? cellsOfMembers(typed, members) : BLANK;
  });
  const [said, setSaid] = useState<ReadonlyMap<number, DataType>>(
    () => new Map(typed.map((c, place) => [place, parseType(c.type)!] as const)),
  );
  const made = useMemo(() => membersOf(cells, said), [cells, said]);
  const misfits = made.columns.reduce((sum, c) => sum + c.misfits.length, 0);
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
        <MemberGrid
          cells={cells}
          made={made}
          called={called}
          onCells={setCells}
          onType={(j, type) => setSaid((before) => new Map(before).set(j, type))}
          onRemoveColumn={(j) => {
            setCells((all) => withoutColumn(all, j));
            setSaid((before) => typesWithout(before, j));
          }}
          onTooMany={(rows) =>
            tell({
              tone: 'wrong',
              text: `${many(rows, 'row')} are too many to type by hand (at most ${MOST_ROWS}): import them as a file`,
            })
          }
        />
        {made.mended.map((m) => (
          <p key={m} className="px-4 text-soft">
            {m}
          </p>
        ))}
      </div>
    </>
  );
}
