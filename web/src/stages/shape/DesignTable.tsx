import { useState } from 'react';
import type { ModelColumn, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { count } from '../../parts/text.ts';
import { designedColumns } from './designedColumns.ts';

const EXAMPLE = 'name, type, use\nbranch_code  text(8)  key\nopened_on  date';

/** A table that is designed before there are rows: its name, its role, its columns, typed or pasted. */
export function DesignTable({ onClose }: { onClose: () => void }) {
  const { model, edit } = useModel();
  const go = useGo();
  const [name, setName] = useState('');
  const [role, setRole] = useState<Table['role']>('dimension');
  const [text, setText] = useState('');
  const { columns, faults } = designedColumns(text);
  const taken = model.tables.some((t) => sameName(t.name, name.trim()));
  const key = columns.filter((c) => c.use === 'key').map((c) => c.name);
  const make = async () => {
    const value: Table = {
      name: name.trim(),
      role,
      ...(key.length > 0 ? { key } : {}),
      columns: columns as ModelColumn[],
    };
    if (!(await edit([{ do: 'put-tables', name: null, value }], `design the table ${value.name}`))) return;
    // The view and the selection are one step: two changes of the address would undo each other.
    go('shape', { kind: 'table', name: value.name });
  };
  return (
    <form
      aria-label="Design a table"
      className="border-b border-rule-strong bg-raised p-4"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <h2 className="mb-2 text-[15px]">Design a table</h2>
      <div className="flex gap-2">
        <input
          autoFocus
          className="field flex-1 font-semibold"
          placeholder="Name of the table"
          aria-label="Name of the table"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <select
          className="field"
          aria-label="Role of the new table"
          value={role}
          onChange={(e) => setRole(e.target.value as Table['role'])}
        >
          {(['fact', 'dimension', 'bridge', 'staging'] as const).map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
      </div>
      <label className="mt-3 block">
        <span className="text-soft">
          Columns, one a line: name, type (integer, decimal(9,2), double, text, text(40), boolean, date,
          timestamp), use, description. They can be pasted from a spreadsheet, and changed afterwards.
        </span>
        <textarea
          className="field mt-1 h-[132px] w-full font-mono text-[12px]"
          aria-label="Columns"
          placeholder={EXAMPLE}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      {(faults.length > 0 || taken) && (
        <ul role="status" className="mt-1 text-vermilion">
          {taken && <li>a table {name.trim()} already exists</li>}
          {faults.slice(0, 4).map((fault) => (
            <li key={fault}>{fault}</li>
          ))}
        </ul>
      )}
      <div className="mt-3 flex items-center gap-2">
        <button className="btn btn-act" disabled={name.trim() === '' || taken || faults.length > 0}>
          Add the table
        </button>
        <button type="button" className="btn btn-bare" onClick={onClose}>
          Cancel
        </button>
        <span className="text-soft">
          {columns.length === 1 ? '1 column' : `${count(columns.length)} columns`}
          {key.length > 0 && `, key ${key.join(', ')}`}
        </span>
      </div>
    </form>
  );
}
