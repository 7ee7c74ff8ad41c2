import { useState } from 'react';
import { X } from 'lucide-react';
import { csvLine } from '@crease/core/interchange';
import type { Table } from '@crease/core/model';
import type { FilePreview } from '@crease/core/reading';
import { saveFile } from '../../state/save.ts';
import { bytes, count, many, percent } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';
import { namingFault } from './arrival.ts';
import { ColumnStrip } from './ColumnStrip.tsx';

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
  readonly onChange: (next: (a: Arrival) => Arrival) => void;
  /** Asks for a preview of the arrival as it is now. */
  readonly onLook: (arrival: Arrival) => void;
  /** Names of the parts that the table has. */
  readonly parts: readonly string[];
  readonly onDrop: () => void;
}

/** One file before anything is stored: its dialect, and each column as a strip of type, fill, distinct count and distribution. */
export function ArrivalCard({ arrival, existing, parts, onChange, onLook, onDrop }: Props) {
  const { preview } = arrival;
  const look = (next: Arrival) => {
    onChange(() => next);
    onLook(next);
  };
  const correct = (part: NonNullable<Arrival['dialect']>) => look({ ...arrival, dialect: { ...arrival.dialect, ...part } });
  const withColumn = (a: Arrival, index: number, change: Partial<ArrivingColumn>): Arrival => ({
    ...a,
    columns: a.columns.map((c, i) => (i === index ? { ...c, ...change } : c)),
  });
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
          {arrival.file.name}
          {arrival.upload?.origin ? '' : ` · ${bytes(arrival.file.size)}`}
          {preview && ` · ${preview.whole ? '' : 'first '}${count(preview.rows)} rows`}
          {preview && !preview.whole && arrival.upload?.origin?.rows ? ` of about ${count(arrival.upload.origin.rows)}` : ''}
        </span>
        <span className="flex-1" />
        <button className="btn btn-bare" onClick={onDrop} aria-label={`Leave ${arrival.file.name} out`} title="Leave this file out">
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
            <label className="flex items-center gap-1" title="Lines above the header, or above the first row: a title, a date of export">
              lines above
              <input
                type="number"
                min={0}
                max={1000}
                className="field w-[46px] px-1"
                value={preview.dialect.skip ?? 0}
                onChange={(e) => correct({ skip: Math.max(0, Math.floor(Number(e.target.value))) })}
              />
            </label>
            <NullTexts key={preview.nulls.join('\n')} nulls={preview.nulls} onChange={(nulls) => look({ ...arrival, nulls })} />
            <label className="flex items-center gap-1">
              <input type="checkbox" checked={preview.dialect.header} onChange={(e) => correct({ header: e.target.checked })} /> header
            </label>
          </div>
        )}
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
                    drawn={arrival.upload?.origin !== undefined}
                    onChange={(change) => onChange((a) => withColumn(a, i, change))}
                    onRead={(change) => look(withColumn(arrival, i, change))}
                  />
                ))}
              </tbody>
            </table>
          </div>
          <WhatHappens arrival={arrival} existing={existing} parts={parts} onChange={onChange} />
        </>
      )}
    </section>
  );
}

/** What one reads before anything is stored. */
function WhatHappens({ arrival, existing, parts, onChange }: Pick<Props, 'arrival' | 'existing' | 'parts' | 'onChange'>) {
  const preview = arrival.preview!;
  const taken = arrival.columns.filter((c) => c.taken);
  const had = existing?.columns.filter((c) => c.formula === undefined) ?? [];
  const missing = had.filter((c) => !taken.some((t) => t.name.toLowerCase() === c.name.toLowerCase()));
  const wrongName = namingFault(arrival.columns);
  const fresh = existing ? taken.filter((t) => !had.some((c) => c.name.toLowerCase() === t.name.toLowerCase())) : [];
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-1 border-t border-rule px-4 py-2">
      <span>
        {existing ? (
          <b>{arrival.part === undefined ? `The rows of ${existing.name} are replaced` : partText(existing.name, arrival.part, parts)}</b>
        ) : (
          <b>A new table {arrival.name}</b>
        )}{' '}
        with {many(taken.length, 'column')}
        {taken.length < arrival.columns.length && `, ${arrival.columns.length - taken.length} left out`}
        {arrival.state === 'storing' && ' — being stored'}
      </span>
      {existing && (
        <label className="flex items-center gap-1" title="A part is a month, a file: it is added or replaced while the other rows stay">
          as part
          <input
            className="field h-[24px] w-[110px]"
            list={`parts-${arrival.key}`}
            placeholder="of all rows"
            value={arrival.part ?? ''}
            onChange={(e) => onChange((a) => ({ ...a, part: e.target.value === '' ? undefined : e.target.value }))}
          />
          <datalist id={`parts-${arrival.key}`}>
            {parts.map((part) => (
              <option key={part} value={part} />
            ))}
          </datalist>
        </label>
      )}
      <label className="flex items-center gap-1">
        values that do not fit
        <select
          className="field h-[24px]"
          value={arrival.misfits}
          onChange={(e) => onChange((a) => ({ ...a, misfits: e.target.value as Arrival['misfits'] }))}
        >
          <option value="null">become null, and are listed</option>
          <option value="stop">stop the load</option>
        </select>
      </label>
      {wrongName !== undefined && (
        <span role="alert" className="text-vermilion">
          {wrongName}
        </span>
      )}
      {fresh.length > 0 && <span>new: {fresh.map((c) => c.name).join(', ')}</span>}
      {missing.length > 0 && <span className="text-vermilion">no longer there: {missing.map((c) => c.name).join(', ')}</span>}
      {preview.mended.map((m) => (
        <span key={m}>{m}</span>
      ))}
      <Misfitting preview={preview} columns={arrival.columns} />
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

/** Values that are not of their column's type, with their lines; they can be taken along as a file. */
function Misfitting({ preview, columns }: { preview: FilePreview; columns: readonly ArrivingColumn[] }) {
  const found = preview.columns.flatMap((c) =>
    columns.find((a) => a.place === c.place)?.taken
      ? c.misfits.sample.map((m) => ({ column: columns.find((a) => a.place === c.place)!.name, ...m }))
      : [],
  );
  if (found.length === 0) return null;
  const rows = preview.columns.reduce((sum, c) => sum + (columns.find((a) => a.place === c.place)?.taken ? c.misfits.rows : 0), 0);
  return (
    <details>
      <summary className="cursor-pointer text-vermilion">
        {many(rows, 'value')} {rows === 1 ? 'is' : 'are'} not of the type of the column
      </summary>
      <ul>
        {found.slice(0, 40).map((m) => (
          <li key={`${m.column}\n${m.text}`}>
            {m.column}: “{m.text}”, {many(m.rows, 'row')}, line {m.line}
            {m.rows > 1 && ' for one'}
          </li>
        ))}
      </ul>
      <button
        className="btn mt-1"
        onClick={() =>
          saveFile(
            'values that do not fit.csv',
            [['column', 'text', 'rows', 'line'], ...found.map((m) => [m.column, m.text, m.rows, m.line])]
              .map((row) => csvLine(row))
              .join(''),
            'text/csv',
          )
        }
      >
        Save the list
      </button>
    </details>
  );
}

const partText = (table: string, part: string, parts: readonly string[]): string =>
  parts.includes(part) ? `The part ${part} of ${table} is replaced` : `The part ${part} is added to ${table}`;

/** Texts that stand for null, apart by blanks; the empty text always does. */
function NullTexts({ nulls, onChange }: { nulls: readonly string[]; onChange: (nulls: readonly string[]) => void }) {
  const [text, setText] = useState(nulls.filter((n) => n !== '').join(' '));
  const say = () => {
    const said = ['', ...text.split(/\s+/).filter((n) => n !== '')];
    if (said.join('\n') !== nulls.join('\n')) onChange(said);
  };
  return (
    <label className="flex items-center gap-1" title="Besides the empty text; apart by blanks">
      also null
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
