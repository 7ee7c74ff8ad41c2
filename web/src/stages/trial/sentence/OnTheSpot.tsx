import { useState } from 'react';
import { api } from '@crease/contract';
import type { AskedItem, MeasureItem, Query } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { ask } from '../../../state/api.ts';
import { useModel } from '../../../state/model.tsx';
import { columnExample, measureExample } from '../../../parts/examples.ts';

export type SpotMeasure = Extract<MeasureItem, { formula: string }>;
export type SpotAttribute = Extract<AskedItem, { formula: string }>;

interface Props<Value> {
  readonly value: Value | undefined;
  readonly onSave: (value: Value) => void;
}

/** A measure by a formula, for this question only. */
export function SpotMeasureForm({ value, onSave }: Props<SpotMeasure>) {
  const { model, measures } = useModel();
  const [name, setName] = useState(value?.name ?? '');
  const [formula, setFormula] = useState(value?.formula ?? '');
  const isTaken = measures.some((m) => sameName(m.name, name.trim()));
  return (
    <form
      className="flex flex-col gap-2 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation();
        if (name.trim() !== '' && formula.trim() !== '' && !isTaken)
          onSave({ ...value, name: name.trim(), formula: formula.trim() });
      }}
    >
      <p className="text-soft">A measure of this question only.</p>
      <Name label="Name of the measure on the spot" value={name} onChange={setName} />
      {isTaken && <p role="alert">The model has a measure of this name: give it another one.</p>}
      <Formula value={formula} onChange={setFormula} placeholder={measureExample(model)} />
      <button className="btn btn-act self-end">Apply</button>
    </form>
  );
}

/** An attribute by a formula of a table's rows, for this question only. */
export function SpotAttributeForm({ value, onSave }: Props<SpotAttribute>) {
  const { model } = useModel();
  const tables = model.tables.filter((t) => t.role !== 'staging');
  const [name, setName] = useState(value?.name ?? '');
  const [of, setOf] = useState(
    value?.of ?? tables.find((t) => t.role === 'fact')?.name ?? tables[0]?.name ?? '',
  );
  const [formula, setFormula] = useState(value?.formula ?? '');
  const table = tables.find((t) => sameName(t.name, of));
  return (
    <form
      className="flex flex-col gap-2 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation();
        if (name.trim() !== '' && formula.trim() !== '' && table)
          onSave({ name: name.trim(), formula: formula.trim(), of: table.name });
      }}
    >
      <p className="text-soft">An attribute of this question only.</p>
      <label className="flex items-center gap-2">
        of
        <select
          className="field min-w-0 flex-1"
          value={of}
          onChange={(e) => setOf(e.target.value)}
          aria-label="Table of the attribute on the spot"
        >
          {tables.map((t) => (
            <option key={t.name}>{t.name}</option>
          ))}
        </select>
      </label>
      <Name label="Name of the attribute on the spot" value={name} onChange={setName} />
      <Formula value={formula} onChange={setFormula} placeholder={table ? columnExample(table) : ''} />
      <button className="btn btn-act self-end">Apply</button>
    </form>
  );
}

const Name = (props: { label: string; value: string; onChange: (name: string) => void }) => (
  <input
    autoFocus
    className="field"
    aria-label={props.label}
    placeholder="name"
    value={props.value}
    onChange={(e) => props.onChange(e.target.value)}
  />
);

const Formula = (props: { value: string; placeholder: string; onChange: (text: string) => void }) => (
  <textarea
    className="field code"
    rows={3}
    aria-label="Formula on the spot"
    placeholder={props.placeholder}
    value={props.value}
    onChange={(e) => props.onChange(e.target.value)}
  />
);

/** Keeps a part on the spot in the model, and asks for it by its name from then on. */
export function useKeep(query: Query, onAsk: (query: Query) => void) {
  const { id, names, edit, fail } = useModel();
  const keepMeasure = async (spot: SpotMeasure) => {
    const value = {
      name: spot.name,
      formula: spot.formula,
      ...(spot.format ? { format: spot.format } : {}),
    };
    if (await edit([{ do: 'put-measures', name: null, value }], `keep the measure ${spot.name}`))
      onAsk({ ...query, measures: query.measures.map((m) => (m === spot ? spot.name : m)) });
  };
  const keepAttribute = async (spot: SpotAttribute) => {
    const table = names.table(spot.of);
    try {
      if (!table) throw new Error(`There is no table ${spot.of}`);
      if (names.column(table, spot.name)) throw new Error(`${spot.of} has a column ${spot.name} already`);
      const checked = await ask(
        api.questions.columnFormula,
        { id },
        { table: table.name, formula: spot.formula },
      );
      const [fault] = checked.faults;
      if (fault || checked.type === null) throw new Error(fault?.message ?? 'The formula has no type');
      const value = {
        name: spot.name,
        type: checked.type,
        use: 'attribute' as const,
        formula: checked.laidOut,
      };
      const path = `${table.name}.${spot.name}`;
      if (!(await edit([{ do: 'put-column', table: table.name, value }], `keep ${path} as a column`))) return;
      const swapped = (list: Query['by']) => list?.map((item) => (item === spot ? path : item));
      onAsk({ ...query, by: swapped(query.by), across: swapped(query.across) });
    } catch (error) {
      fail(error);
    }
  };
  return { keepMeasure, keepAttribute };
}
