import { useState } from 'react';
import { sameName } from '@crease/core/model';
import type { Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';

/** Begins a table that is made of another by steps; it stays linked to it. */
export function DeriveTable() {
  const { model, edit } = useModel();
  const go = useGo();
  const [open, setOpen] = useState(false);
  const [from, setFrom] = useState('');
  const [name, setName] = useState('');
  const [role, setRole] = useState<Table['role']>('dimension');
  if (!open)
    return (
      <div className="p-2">
        <button className="btn w-full justify-center" onClick={() => setOpen(true)}>
          Derive a table
        </button>
      </div>
    );
  const source = model.tables.find((t) => t.name === from) ?? model.tables[0]!;
  const taken = model.tables.some((t) => sameName(t.name, name.trim()));
  const make = async () => {
    const value: Table = {
      name: name.trim(),
      role,
      source: { steps: [{ from: source.name }] },
      columns: source.columns
        .filter((c) => c.formula === undefined)
        .map((c) => ({
          name: c.name,
          type: c.type,
          ...(c.use ? { use: c.use } : {}),
          ...(c.aggregate ? { aggregate: c.aggregate } : {}),
        })),
    };
    if (
      !(await edit(
        [{ do: 'put-tables', name: null, value: { ...value } }],
        `derive ${value.name} from ${source.name}`,
      ))
    )
      return;
    setOpen(false);
    setName('');
    go('shape', { kind: 'table', name: value.name }, undefined, 'steps');
  };
  return (
    <form
      className="flex flex-col gap-1 border-t border-rule bg-paper p-2"
      aria-label="Derive a table"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
      onKeyDown={(e) => e.key === 'Escape' && setOpen(false)}
    >
      <label className="flex flex-col text-soft">
        from
        <select className="field" value={source.name} onChange={(e) => setFrom(e.target.value)} autoFocus>
          {model.tables.map((t) => (
            <option key={t.name}>{t.name}</option>
          ))}
        </select>
      </label>
      <label className="flex flex-col text-soft">
        name
        <input className="field" value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <label className="flex flex-col text-soft">
        role
        <select className="field" value={role} onChange={(e) => setRole(e.target.value as Table['role'])}>
          {['fact', 'dimension', 'bridge', 'staging'].map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
      </label>
      {taken && <p className="text-vermilion">a table of this name already exists</p>}
      <span className="mt-1 flex gap-1">
        <button className="btn btn-act flex-1 justify-center" disabled={name.trim() === '' || taken}>
          Derive
        </button>
        <button type="button" className="btn btn-bare" onClick={() => setOpen(false)}>
          Close
        </button>
      </span>
    </form>
  );
}
