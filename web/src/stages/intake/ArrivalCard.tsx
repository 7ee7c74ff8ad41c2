import { useState } from 'react';
import { X } from 'lucide-react';
import type { Table } from '@crease/core/model';
import type { RecipeState } from '@crease/contract';
import { bytes, count, percent } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';
import { byRecipe } from './arrival.ts';
import { anchorOf } from './ArrivalsBar.tsx';
import { ArrivalColumns } from './ArrivalColumns.tsx';
import { DialectFields } from './DialectFields.tsx';
import { WhatHappens } from './WhatHappens.tsx';

interface Props {
  readonly arrival: Arrival;
  /** The table of that name that the model has already. */
  readonly existing: Table | undefined;
  /** Tables that the file may be loaded into. */
  readonly tables: readonly string[];
  readonly onInto: (table: string | undefined) => void;
  readonly onChange: (next: (a: Arrival) => Arrival) => void;
  /** Asks for a preview of the arrival as it is now. */
  readonly onLook: (arrival: Arrival) => void;
  /** Names of the parts that the table has. */
  readonly parts: readonly string[];
  readonly onDrop: () => void;
  /** Asks what would happen. */
  readonly onTry: () => void;
  readonly recipes: readonly RecipeState[];
}

/**
 * One file before anything is stored: its dialect, and each column as a strip of type, fill, distinct count
 * and distribution.
 */
export function ArrivalCard({
  arrival,
  existing,
  tables,
  onInto,
  parts,
  onChange,
  onLook,
  onDrop,
  onTry,
  recipes,
}: Props) {
  const { preview } = arrival;
  const fileRecipes = recipes.filter((r) => !r.origin);
  const look = (next: Arrival) => {
    onChange(() => next);
    onLook(next);
  };
  return (
    <section
      id={anchorOf(arrival.key)}
      aria-label={`File ${arrival.file.name}`}
      className="scroll-mt-10 border-b border-rule-strong bg-raised"
    >
      <header className="flex flex-wrap items-center gap-3 px-4 py-2">
        <Target arrival={arrival} existing={existing} tables={tables} onInto={onInto} onChange={onChange} />
        <span className="flex-1" />
        {fileRecipes.length > 0 && arrival.upload && !arrival.upload.origin && (
          <select
            className="field"
            aria-label={`Recipe for ${arrival.file.name}`}
            value={recipes.some((r) => r.name === arrival.recipe) ? arrival.recipe : ''}
            onChange={(e) => {
              const recipe = recipes.find((r) => r.name === e.target.value);
              if (recipe) look(byRecipe(arrival, recipe));
            }}
          >
            <option value="">Recipe …</option>
            {fileRecipes.map((r) => (
              <option key={r.name}>{r.name}</option>
            ))}
          </select>
        )}
        <button
          className="btn btn-bare"
          onClick={onDrop}
          aria-label={`Remove ${arrival.file.name}`}
          title="Remove file"
        >
          <X size={14} aria-hidden />
        </button>
        {preview?.format === 'text' && !arrival.upload?.origin && (
          <DialectFields
            preview={preview}
            onDialect={(part) => look({ ...arrival, dialect: { ...arrival.dialect, ...part } })}
            onNulls={(nulls) => look({ ...arrival, nulls })}
          />
        )}
      </header>
      {arrival.state === 'coming' && (
        <p className="flex items-center gap-3 px-4 pb-3 text-soft">
          <progress
            value={arrival.progress}
            max={1}
            className="h-2 w-64"
            aria-label={`Reading ${arrival.file.name}`}
          />{' '}
          {percent(arrival.progress)}
        </p>
      )}
      {arrival.fault !== undefined && (
        <p role="alert" className="mx-4 mb-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-1">
          {arrival.fault}
        </p>
      )}
      {preview && (
        <>
          <ArrivalColumns
            arrival={arrival}
            preview={preview}
            existing={existing}
            onColumn={(i, change) => onChange((a) => withColumn(a, i, change))}
            onRead={(i, change) => look(withColumn(arrival, i, change))}
          />
          <WhatHappens
            arrival={arrival}
            existing={existing}
            parts={parts}
            onChange={onChange}
            onTry={onTry}
          />
        </>
      )}
    </section>
  );
}

/** The arrival with a column changed. */
const withColumn = (a: Arrival, index: number, change: Partial<ArrivingColumn>): Arrival => ({
  ...a,
  columns: a.columns.map((c, i) => (i === index ? { ...c, ...change } : c)),
});

/** Which table the file goes into, and what file it is. */
function Target({
  arrival,
  existing,
  tables,
  onInto,
  onChange,
}: Pick<Props, 'arrival' | 'existing' | 'tables' | 'onInto' | 'onChange'>) {
  const { preview } = arrival;
  return (
    <>
      <select
        className="field w-[130px]"
        aria-label={`Table for ${arrival.file.name}`}
        value={existing?.name ?? ''}
        onChange={(e) => onInto(e.target.value === '' ? undefined : e.target.value)}
      >
        <option value="">new table</option>
        {tables.map((name) => (
          <option key={name} value={name}>
            into {name}
          </option>
        ))}
      </select>
      {!existing && (
        <NewName
          key={arrival.key}
          name={arrival.name}
          taken={tables}
          label={`Table name for ${arrival.file.name}`}
          onChange={(name) => onChange((a) => ({ ...a, name }))}
        />
      )}
      <span className="text-soft">
        {arrival.file.name}
        {arrival.upload?.origin ? '' : ` · ${bytes(arrival.file.size)}`}
        {preview && ` · ${preview.whole ? '' : 'first '}${count(preview.rows)} rows`}
        {preview && !preview.whole && arrival.upload?.origin?.rows
          ? ` of about ${count(arrival.upload.origin.rows)}`
          : ''}
      </span>
    </>
  );
}

/**
 * The name of a new table. A name that a table has is no name for a new one: the table is chosen from the
 * list.
 */
function NewName({
  name,
  taken,
  label,
  onChange,
}: {
  name: string;
  taken: readonly string[];
  label: string;
  onChange: (name: string) => void;
}) {
  const [text, setText] = useState(name);
  const clash = taken.find((t) => t.toLowerCase() === text.trim().toLowerCase());
  return (
    <>
      <input
        className="field w-[150px] font-semibold"
        value={text}
        aria-label={label}
        aria-invalid={clash !== undefined}
        onChange={(e) => {
          setText(e.target.value);
          const next = e.target.value.trim();
          if (!taken.some((t) => t.toLowerCase() === next.toLowerCase())) onChange(e.target.value);
        }}
      />
      {clash !== undefined && (
        <span className="text-vermilion">
          {clash} already exists: choose it from the list to load into it
        </span>
      )}
    </>
  );
}
