import { csvLine } from '@crease/core/interchange';
import type { LoadResult } from '@crease/contract';
import type { Table } from '@crease/core/model';
import type { FilePreview } from '@crease/core/reading';
import { unknownText } from './unknownText.ts';
import { saveFile } from '../../state/save.ts';
import { cellText, count, many } from '../../parts/text.ts';
import type { Arrival, ArrivingColumn } from './arrival.ts';
import { namingFault } from './arrival.ts';
import { designDifferences } from './designDifferences.ts';
import { ChoiceFields, ModeField, PartField, RecipeField } from './LoadFields.tsx';

interface Props {
  readonly arrival: Arrival;
  /** The table of that name that the model has already. */
  readonly existing: Table | undefined;
  /** Names of the parts that the table has. */
  readonly parts: readonly string[];
  readonly onChange: (next: (a: Arrival) => Arrival) => void;
  readonly onTry: () => void;
}

/** What one reads before anything is stored. */
export function WhatHappens({ arrival, existing, parts, onChange, onTry }: Props) {
  const preview = arrival.preview!;
  const taken = arrival.columns.filter((c) => c.taken);
  const had = existing?.columns.filter((c) => c.formula === undefined) ?? [];
  const missing = had.filter((c) => !taken.some((t) => t.name.toLowerCase() === c.name.toLowerCase()));
  const isDesigned = existing !== undefined && existing.source === undefined;
  const differing = isDesigned ? designDifferences(existing, preview, arrival.columns) : [];
  const wrongName = namingFault(arrival.columns);
  const hasKey = (existing?.key?.length ?? 0) > 0;
  const fresh = existing
    ? taken.filter((t) => !had.some((c) => c.name.toLowerCase() === t.name.toLowerCase()))
    : [];
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-1 border-t border-rule px-4 py-2">
      <span>
        {existing ? <b>{happens(existing, arrival, parts)}</b> : <b>New table {arrival.name}</b>} with{' '}
        {many(taken.length, 'column')}
        {taken.length < arrival.columns.length && `, ${arrival.columns.length - taken.length} left out`}
        {arrival.state === 'storing' && ' — storing'}
      </span>
      {existing && <ModeField arrival={arrival} onChange={onChange} existing={existing} hasKey={hasKey} />}
      {existing?.partition && <ChosenParts arrival={arrival} parts={parts} onChange={onChange} />}
      {existing && !existing.partition && arrival.mode === 'replace' && (
        <PartField arrival={arrival} onChange={onChange} parts={parts} />
      )}
      <ChoiceFields arrival={arrival} onChange={onChange} />
      <RecipeField arrival={arrival} onChange={onChange} />
      {existing && (
        <button
          className="btn h-[24px]"
          onClick={onTry}
          disabled={arrival.state !== 'ready' || wrongName !== undefined}
        >
          Dry run
        </button>
      )}
      {wrongName !== undefined && (
        <span role="alert" className="text-vermilion">
          {wrongName}
        </span>
      )}
      {fresh.length > 0 && <span>new: {fresh.map((c) => c.name).join(', ')}</span>}
      {missing.length > 0 && (
        <span className="text-vermilion">removed: {missing.map((c) => c.name).join(', ')}</span>
      )}
      {differing.length > 0 && (
        <details open>
          <summary className="cursor-pointer text-vermilion">
            {many(differing.length, 'difference')} from the design
          </summary>
          <ul>
            {differing.map((d) => (
              <li key={d}>{d}</li>
            ))}
          </ul>
        </details>
      )}
      {arrival.tried && <Tried result={arrival.tried} />}
      {preview.mended.map((m) => (
        <span key={m}>{m}</span>
      ))}
      <Misfitting preview={preview} columns={arrival.columns} />
      {preview.problems.length > 0 && (
        <details>
          <summary className="cursor-pointer text-vermilion">
            {many(preview.problems.length, 'line')} will be left out and listed
          </summary>
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

/** Of a table kept in parts: which of them the file's rows are taken for. */
function ChosenParts({ arrival, parts, onChange }: Pick<Props, 'arrival' | 'parts' | 'onChange'>) {
  const list = `chosen-${arrival.key}`;
  return (
    <label
      className="flex items-center gap-1"
      title="Parts, with commas between; rows of others are left in the file"
    >
      only the parts
      <input
        className="field h-[24px] w-[130px]"
        list={list}
        placeholder="all"
        defaultValue={arrival.parts?.join(', ') ?? ''}
        onBlur={(e) => {
          const chosen = e.target.value
            .split(',')
            .flatMap((text) => (text.trim() === '' ? [] : [text.trim()]));
          onChange(({ parts: _, ...a }) => ({
            ...a,
            tried: undefined,
            ...(chosen.length > 0 ? { parts: chosen } : {}),
          }));
        }}
      />
      <datalist id={list}>
        {parts.map((part) => (
          <option key={part} value={part} />
        ))}
      </datalist>
    </label>
  );
}

/** What a dry run tells: rows by what would become of them, and some of what would change. */
function Tried({ result }: { result: LoadResult }) {
  const { table, counts, removed, leftOut, refused, changes, parts, notChosen, unknown, leftOutFile } =
    result;
  const shown: readonly (readonly [number, string])[] = [
    [counts.added, 'new'],
    [counts.changed, 'changed'],
    [counts.unchanged, 'unchanged'],
    [counts.refused, 'refused'],
    [removed, 'gone'],
    [leftOut, 'left out'],
  ];
  return (
    <div role="status" className="w-full border-l-4 border-ink bg-leaf px-3 py-2">
      <p className="flex flex-wrap gap-x-4">
        <b>Would store:</b>
        {shown.map(([n, what]) => (
          <span key={what} className={n === 0 ? 'text-soft' : ''}>
            {count(n)} {what}
          </span>
        ))}
      </p>
      {parts && parts.length > 0 && (
        <p>
          {parts
            .map((p) => `${p.name}: ${p.was === null ? 'new, ' : `${count(p.was)} → `}${many(p.rows, 'row')}`)
            .join('; ')}
          {notChosen !== undefined && `; ${many(notChosen, 'row')} of other parts not taken`}
        </p>
      )}
      {(unknown ?? []).map((u) => (
        <p key={u.relationship}>{unknownText(u)}</p>
      ))}
      {leftOutFile !== undefined && (
        <button
          className="btn mt-1 h-[24px]"
          onClick={() => saveFile(`${table}.left-out.csv`, leftOutFile, 'text/csv')}
        >
          Save the records that would not be taken
        </button>
      )}
      {changes.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-soft">examples of changes</summary>
          <table className="grid-plain">
            <tbody>
              {changes.map((c, i) => (
                <tr key={i}>
                  <td>{c.key.map(cellText).join(' · ')}</td>
                  <td>{c.column}</td>
                  <td className="num">
                    {c.before === null ? <i className="text-soft">null</i> : cellText(c.before)}
                  </td>
                  <td className="num">
                    {c.after === null ? <i className="text-soft">null</i> : cellText(c.after)}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
      {refused.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-vermilion">{many(counts.refused, 'row')} refused</summary>
          <ul>
            {refused.slice(0, 20).map((r) => (
              <li key={r.line}>
                line {r.line}: {r.message}
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
  const rows = preview.columns.reduce(
    (sum, c) => sum + (columns.find((a) => a.place === c.place)?.taken ? c.misfits.rows : 0),
    0,
  );
  return (
    <details>
      <summary className="cursor-pointer text-vermilion">
        {many(rows, 'value')} {rows === 1 ? 'is' : 'are'} not of the type of the column
      </summary>
      <ul>
        {found.slice(0, 40).map((m) => (
          <li key={`${m.column}\n${m.text}`}>
            {m.column}: “{m.text}”, {many(m.rows, 'row')}, {m.lines.length > 1 ? 'lines' : 'line'}{' '}
            {m.lines.join(', ')}
            {m.rows > m.lines.length && ' …'}
          </li>
        ))}
      </ul>
      <button
        className="btn mt-1"
        onClick={() =>
          saveFile(
            'values that do not fit.csv',
            [
              ['column', 'text', 'rows', 'lines'],
              ...found.map((m) => [m.column, m.text, m.rows, m.lines.join(' ')]),
            ]
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

/** What becomes of the rows that are there, in words. */
function happens(existing: Table, { mode, part }: Arrival, parts: readonly string[]): string {
  const { name } = existing;
  if (existing.source === undefined) return `Rows of ${name}, which is designed,`;
  switch (mode) {
    case 'parts':
      return `The parts of ${name} that rows are in are replaced`;
    case 'add':
      return `Rows are added to ${name}`;
    case 'update':
      return `Rows of ${name} are updated by ${existing.key?.join(', ')}`;
    case 'add quantities':
      return `Quantities are added to rows of ${name} by ${existing.key?.join(', ')}`;
    default:
      return part === undefined ? `The rows of ${name} are replaced` : partText(name, part, parts);
  }
}

const partText = (table: string, part: string, parts: readonly string[]): string =>
  parts.includes(part) ? `The part ${part} of ${table} is replaced` : `The part ${part} is added to ${table}`;
