import { useState } from 'react';
import { X } from 'lucide-react';
import type { Table } from '@crease/core/model';
import type { RecipeState } from '@crease/contract';
import { bytes, count, percent } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';
import { byRecipe } from './arrival.ts';
import { anchorOf } from './ArrivalsBar.tsx';
import { ColumnStrip } from './ColumnStrip.tsx';
import { WhatHappens } from './WhatHappens.tsx';

const DELIMITERS: readonly (readonly [string, string])[] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'bar'],
];
const ENCODINGS = ['utf-8', 'windows-1252', 'utf-16le', 'utf-16be'] as const;
const QUOTES: readonly (readonly [string, string])[] = [
  ['"', '" quotes'],
  ["'", "' quotes"],
  ['', 'no quotes'],
];

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

/** Of files with more columns the first are listed, and those that are searched for. */
const MOST_SHOWN = 200;

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
  const correct = (part: NonNullable<Arrival['dialect']>) =>
    look({ ...arrival, dialect: { ...arrival.dialect, ...part } });
  const withColumn = (a: Arrival, index: number, change: Partial<ArrivingColumn>): Arrival => ({
    ...a,
    columns: a.columns.map((c, i) => (i === index ? { ...c, ...change } : c)),
  });
  const [search, setSearch] = useState('');
  const shown = arrival.columns
    .map((c, i) => ({ c, i }))
    .filter(({ c }) => c.name.toLowerCase().includes(search.trim().toLowerCase()))
    .slice(0, MOST_SHOWN);
  return (
    <section
      id={anchorOf(arrival.key)}
      aria-label={`File ${arrival.file.name}`}
      className="scroll-mt-10 border-b border-rule-strong bg-raised"
    >
      <header className="flex flex-wrap items-center gap-3 px-4 py-2">
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
          <div className="flex w-full flex-wrap items-center gap-2">
            <select
              className="field w-[92px] px-1"
              aria-label="Delimiter"
              value={preview.dialect.delimiter}
              onChange={(e) => correct({ delimiter: e.target.value })}
            >
              {DELIMITERS.map(([value, name]) => (
                <option key={name} value={value}>
                  {name}
                </option>
              ))}
            </select>
            <select
              className="field w-[108px] px-1"
              aria-label="Encoding"
              value={preview.dialect.encoding}
              onChange={(e) => correct({ encoding: e.target.value as (typeof ENCODINGS)[number] })}
            >
              {ENCODINGS.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <select
              className="field w-[86px] px-1"
              aria-label="Quotes"
              value={preview.dialect.quote}
              onChange={(e) => correct({ quote: e.target.value })}
            >
              {QUOTES.map(([value, name]) => (
                <option key={name} value={value}>
                  {name}
                </option>
              ))}
            </select>
            <label
              className="flex items-center gap-1"
              title="Lines before the header or the first row, such as a title or an export date"
            >
              lines to skip
              <input
                type="number"
                min={0}
                max={1000}
                className="field w-[46px] px-1"
                value={preview.dialect.skip ?? 0}
                onChange={(e) => correct({ skip: Math.max(0, Math.floor(Number(e.target.value))) })}
              />
            </label>
            <NullTexts
              key={preview.nulls.join('\n')}
              nulls={preview.nulls}
              onChange={(nulls) => look({ ...arrival, nulls })}
            />
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={preview.dialect.header}
                onChange={(e) => correct({ header: e.target.checked })}
              />{' '}
              header
            </label>
          </div>
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
                    onChange={(change) => onChange((a) => withColumn(a, i, change))}
                    onRead={(change) => look(withColumn(arrival, i, change))}
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

/** Texts that stand for null, apart by blanks; the empty text always does. */
function NullTexts({
  nulls,
  onChange,
}: {
  nulls: readonly string[];
  onChange: (nulls: readonly string[]) => void;
}) {
  const [text, setText] = useState(nulls.filter((n) => n !== '').join(' '));
  const say = () => {
    const said = ['', ...text.split(/\s+/).filter((n) => n !== '')];
    if (said.join('\n') !== nulls.join('\n')) onChange(said);
  };
  return (
    <label className="flex items-center gap-1" title="In addition to the empty text; separated by blanks">
      null texts
      <input
        className="field w-[70px] px-1"
        value={text}
        placeholder="NULL N/A"
        aria-label="Texts that stand for null"
        onChange={(e) => setText(e.target.value)}
        onBlur={say}
        onKeyDown={(e) => {
          if (e.key === 'Enter') say();
        }}
      />
    </label>
  );
}
