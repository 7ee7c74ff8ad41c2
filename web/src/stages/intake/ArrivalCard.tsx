import { X } from 'lucide-react';
import type { Table } from '@crease/core/model';
import type { ColumnPreview } from '@crease/core/reading';
import { Distribution, Gauge } from '../../parts/Marks.tsx';
import { bytes, count, many, percent } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';

const DELIMITERS: readonly (readonly [string, string])[] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'bar'],
];
const ENCODINGS = ['utf-8', 'windows-1252', 'utf-16le', 'utf-16be'] as const;
const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];

interface Props {
  readonly arrival: Arrival;
  /** The table of that name that the model has already. */
  readonly existing: Table | undefined;
  readonly onChange: (next: (a: Arrival) => Arrival) => void;
  readonly onDialect: (dialect: NonNullable<Arrival['dialect']>) => void;
  readonly onDrop: () => void;
}

/** One file before anything is stored: its dialect, and each column as a strip of type, fill, distinct count and distribution. */
export function ArrivalCard({ arrival, existing, onChange, onDialect, onDrop }: Props) {
  const { preview } = arrival;
  const correct = (part: NonNullable<Arrival['dialect']>) => {
    const dialect = { ...arrival.dialect, ...part };
    onChange((a) => ({ ...a, dialect }));
    onDialect(dialect);
  };
  const column = (index: number, change: Partial<ArrivingColumn>) =>
    onChange((a) => ({ ...a, columns: a.columns.map((c, i) => (i === index ? { ...c, ...change } : c)) }));
  return (
    <section aria-label={`File ${arrival.file.name}`} className="border-b border-rule-strong bg-raised">
      <header className="flex flex-wrap items-center gap-3 px-4 py-2">
        <input
          className="field w-[150px] font-semibold"
          value={arrival.name}
          aria-label={`Table name for ${arrival.file.name}`}
          onChange={(e) => onChange((a) => ({ ...a, name: e.target.value }))}
        />
        <span className="text-soft">
          {arrival.file.name} · {bytes(arrival.file.size)}
          {preview && ` · ${preview.whole ? '' : 'first '}${count(preview.rows)} rows`}
        </span>
        <span className="flex-1" />
        {preview && (
          <>
            <select
              className="field"
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
              className="field"
              aria-label="Encoding"
              value={preview.dialect.encoding}
              onChange={(e) => correct({ encoding: e.target.value as (typeof ENCODINGS)[number] })}
            >
              {ENCODINGS.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <label className="flex items-center gap-1">
              <input type="checkbox" checked={preview.dialect.header} onChange={(e) => correct({ header: e.target.checked })} /> header
            </label>
          </>
        )}
        <button className="btn btn-bare" onClick={onDrop} aria-label={`Leave ${arrival.file.name} out`} title="Leave this file out">
          <X size={14} aria-hidden />
        </button>
      </header>
      {arrival.state === 'coming' && (
        <p className="flex items-center gap-3 px-4 pb-3 text-soft">
          <progress value={arrival.progress} max={1} className="h-2 w-64" aria-label={`Reading ${arrival.file.name}`} />{' '}
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
                  <th scope="col">take</th>
                  <th scope="col">column</th>
                  <th scope="col">type</th>
                  <th scope="col">why</th>
                  <th scope="col">filled</th>
                  <th scope="col" className="num">
                    distinct
                  </th>
                  <th scope="col">distribution</th>
                  <th scope="col">for example</th>
                </tr>
              </thead>
              <tbody>
                {arrival.columns.map((c, i) => (
                  <ColumnStrip
                    key={`${c.fileName}${i}`}
                    column={c}
                    preview={preview.columns[i]!}
                    rows={preview.rows}
                    onChange={(change) => column(i, change)}
                  />
                ))}
              </tbody>
            </table>
          </div>
          <WhatHappens arrival={arrival} existing={existing} />
        </>
      )}
    </section>
  );
}

function ColumnStrip({
  column,
  preview,
  rows,
  onChange,
}: {
  column: ArrivingColumn;
  preview: ColumnPreview;
  rows: number;
  onChange: (change: Partial<ArrivingColumn>) => void;
}) {
  const types = TYPES.includes(column.type) ? TYPES : [column.type, ...TYPES];
  return (
    <tr className={column.taken ? '' : 'opacity-45'}>
      <td>
        <input
          type="checkbox"
          checked={column.taken}
          onChange={(e) => onChange({ taken: e.target.checked })}
          aria-label={`Take ${column.name}`}
        />
      </td>
      <td className="font-semibold">{column.name}</td>
      <td>
        <select
          className="field h-[24px]"
          value={column.type}
          aria-label={`Type of ${column.name}`}
          onChange={(e) =>
            onChange({
              type: e.target.value,
              pattern: e.target.value === 'date' || e.target.value === 'timestamp' ? preview.pattern : undefined,
            })
          }
        >
          {types.map((t) => (
            <option key={t}>{t}</option>
          ))}
        </select>
        {column.pattern && <span className="block text-[11px] text-soft">{column.pattern}</span>}
      </td>
      <td className="max-w-[120px] truncate text-soft" title={preview.reason}>
        {preview.reason}
      </td>
      <td className="whitespace-nowrap">
        <Gauge part={rows ? 1 - preview.nulls / rows : 0} width={32} label={`${count(rows - preview.nulls)} of ${count(rows)} filled`} />{' '}
        <span className="text-soft">{percent(rows ? 1 - preview.nulls / rows : 0)}</span>
      </td>
      <td className="num">{count(preview.distinct)}</td>
      <td>
        <Distribution rows={preview.distribution} width={64} label={`Distribution of ${column.name}`} />
      </td>
      <td className="max-w-[130px] truncate text-soft">
        {preview.frequent
          .slice(0, 3)
          .map((f) => f.text)
          .join(' · ')}
      </td>
    </tr>
  );
}

/** What one reads before anything is stored. */
function WhatHappens({ arrival, existing }: { arrival: Arrival; existing: Table | undefined }) {
  const preview = arrival.preview!;
  const taken = arrival.columns.filter((c) => c.taken);
  const had = existing?.columns.filter((c) => c.formula === undefined) ?? [];
  const missing = had.filter((c) => !taken.some((t) => t.name.toLowerCase() === c.name.toLowerCase()));
  const fresh = existing ? taken.filter((t) => !had.some((c) => c.name.toLowerCase() === t.name.toLowerCase())) : [];
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-1 border-t border-rule px-4 py-2">
      <span>
        {existing ? <b>The rows of {existing.name} are replaced</b> : <b>A new table {arrival.name}</b>} with {many(taken.length, 'column')}
        {taken.length < arrival.columns.length && `, ${arrival.columns.length - taken.length} left out`}
        {arrival.state === 'storing' && ' — being stored'}
      </span>
      {fresh.length > 0 && <span>new: {fresh.map((c) => c.name).join(', ')}</span>}
      {missing.length > 0 && <span className="text-vermilion">no longer there: {missing.map((c) => c.name).join(', ')}</span>}
      {preview.mended.map((m) => (
        <span key={m}>{m}</span>
      ))}
      {preview.problems.length > 0 && (
        <details>
          <summary className="cursor-pointer text-vermilion">{many(preview.problems.length, 'line')} will be left out and listed</summary>
          <ul>
            {preview.problems.slice(0, 20).map((p) => (
              <li key={p.line}>
                line {p.line}: {p.message}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}
