import { useState } from 'react';
import { parseType } from '@crease/core/values';
import type { ModelColumn, StepArgument, Table } from '@crease/core/model';
import { sameName, isDerived, stepsOf } from '@crease/core/model';
import { stepsUnder } from '@crease/core/edit';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { LookupFields } from './forms/LookupForm.tsx';

/**
 * Columns that hold values of another table: the newest price, the version of a day. They are looked up by a
 * step.
 */
export function LookUp({ table, onClose }: { table: Table; onClose: () => void }) {
  const { model, edit } = useModel();
  const go = useGo();
  const [value, setValue] = useState<StepArgument<'lookup'>>({ table: '', on: [['', '']], columns: [] });
  const stored = table.columns
    .filter((c) => c.formula === undefined)
    .map((c) => ({ name: c.name, type: c.type }));
  const theirs = model.tables.find((t) => sameName(t.name, value.table));
  const added = value.columns.flatMap((c): ModelColumn[] => {
    const { column, as } = typeof c === 'string' ? { column: c, as: c } : c;
    const known = theirs?.columns.find((k) => sameName(k.name, column));
    return known && parseType(known.type) ? [{ name: as, type: known.type, use: 'attribute' }] : [];
  });
  const clash = added.find((c) => table.columns.some((own) => sameName(own.name, c.name)));
  const fault = !theirs
    ? 'choose the table to look up in'
    : value.on.some(([a, b]) => a === '' || b === '')
      ? 'choose the columns that must be equal'
      : added.length === 0
        ? 'choose a column to add'
        : clash
          ? `${table.name} already has a column ${clash.name}`
          : undefined;
  const step = { lookup: { ...value } };
  const make = async () => {
    const made = isDerived(table)
      ? [
          {
            do: 'put-tables' as const,
            name: table.name,
            value: {
              ...table,
              source: { steps: [...stepsOf(table), step] },
              columns: [...table.columns, ...added],
            },
          },
        ]
      : stepsUnder(model, table, [step], added)?.edit;
    if (!made) return;
    const says = `look ${added.map((c) => c.name).join(', ')} of ${table.name} up in ${value.table}`;
    if (!(await edit(made, says))) return;
    onClose();
    go('shape', { kind: 'table', name: table.name }, undefined, 'steps');
  };
  return (
    <form
      className="flex flex-col gap-2 border-b border-rule bg-raised px-4 py-3"
      aria-label="Look up"
      onSubmit={(e) => {
        e.preventDefault();
        if (fault === undefined) void make();
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <LookupFields value={value} columns={stored} own={table.name} onChange={setValue} />
      <div className="flex items-center gap-2">
        <button className="btn btn-act" disabled={fault !== undefined}>
          Look up
        </button>
        <button type="button" className="btn btn-bare" onClick={onClose}>
          Close
        </button>
        <span className="text-soft">
          {fault ??
            (isDerived(table)
              ? 'Adds a step.'
              : `The rows of ${table.name} move to a staging table; ${table.name} is derived from it, and all else stays.`)}
        </span>
      </div>
    </form>
  );
}
