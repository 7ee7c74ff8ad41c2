import { useState } from 'react';
import { quoteName } from '@crease/core/formula';
import { freeName, sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import type { StateColumn } from './fields.tsx';
import { Checks, Choice, Row } from './fields.tsx';
import { BandsEditor } from './BandsEditor.tsx';
import { JoinForm } from './JoinForm.tsx';
import { LookupForm } from './LookupForm.tsx';
import type { Step, StepWork } from './steps.ts';
import { argumentOf, isOff, verbOf } from './steps.ts';

interface FormProps<T> {
  readonly value: T;
  /** Columns before the step. */
  readonly columns: readonly StateColumn[];
  readonly onChange: (value: T) => void;
}

/** What a step says, open to be changed; each verb has a form of its own. */
export function StepForm({
  step,
  place,
  work,
  onChange,
}: {
  step: Step;
  place: number;
  work: StepWork;
  onChange: (step: Step) => void;
}) {
  const { model } = useModel();
  if (isOff(step)) return <p className="text-soft">Switched off: the rows stay as they are.</p>;
  const verb = verbOf(step);
  const value = argumentOf(step);
  const columns = work.trace?.states[place - 2]?.columns ?? [];
  const change = (next: unknown) => onChange({ [verb]: next });
  const others = model.tables.filter((t) => t.name !== work.table.name).map((t) => t.name);
  switch (verb) {
    case 'from':
      return (
        <Row label="start from">
          <Choice
            label="The table to start from"
            value={value as string}
            options={others}
            onChange={change}
          />
        </Row>
      );
    case 'filter':
      return (
        <Row label="rows where">
          <FormulaField label="Condition" value={value as string} columns={columns} onChange={change} />
        </Row>
      );
    case 'derive':
      return (
        <DeriveForm value={value as { name: string; formula: string }} columns={columns} onChange={change} />
      );
    case 'pick':
      return <PickForm value={value as Picked[]} columns={columns} onChange={change} />;
    case 'aggregate':
      return (
        <AggregateForm
          value={value as { by: string[]; columns: Record<string, string> }}
          columns={columns}
          quantities={work.trace?.states[place - 2]?.totals.map((t) => t.column) ?? []}
          table={String(work.steps[0]?.from ?? '')}
          onChange={change}
        />
      );
    case 'join':
      return (
        <JoinForm value={value as never} columns={columns} place={place} work={work} onChange={change} />
      );
    case 'lookup':
      return <LookupForm value={value as never} columns={columns} own={work.table.name} onChange={change} />;
    case 'union':
      return (
        <Checks
          label="Rows of"
          names={others}
          chosen={value as string[]}
          onChange={(names) => change(names)}
        />
      );
    case 'sort':
      return <SortForm value={value as Sorted[]} columns={columns} onChange={change} />;
    case 'number':
      return (
        <Row label="Key name">
          <input
            className="field"
            aria-label="Name of the key"
            value={value as string}
            onChange={(e) => change(e.target.value)}
          />
        </Row>
      );
    default:
      return <p className="text-soft">No settings.</p>;
  }
}

/** A row formula, with the columns that it may use a click away. */
function FormulaField({
  label,
  value,
  columns,
  onChange,
}: {
  label: string;
  value: string;
  columns: readonly StateColumn[];
  onChange: (text: string) => void;
}) {
  return (
    <span className="flex min-w-[260px] flex-1 flex-col gap-1">
      <textarea
        className="field code w-full"
        rows={Math.min(6, Math.max(1, value.split('\n').length))}
        aria-label={label}
        spellCheck={false}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
      <select
        className="field h-[24px] w-[150px] text-[12px]"
        value=""
        aria-label={`Add a column to the ${label.toLowerCase()}`}
        onChange={(e) =>
          onChange(
            `${value === 'true' || value === 'null' ? '' : value}${value === '' ? '' : ' '}${quoteName(e.target.value)}`.trimStart(),
          )
        }
      >
        <option value="">Add column …</option>
        {columns.map((c) => (
          <option key={c.name} value={c.name}>
            {c.name} · {c.type}
          </option>
        ))}
      </select>
    </span>
  );
}

function DeriveForm({ value, columns, onChange }: FormProps<{ name: string; formula: string }>) {
  const [bands, setBands] = useState(false);
  return (
    <div className="flex flex-col gap-2">
      <Row label="column">
        <input
          className="field w-[180px]"
          aria-label="Name of the column"
          value={value.name}
          onChange={(e) => onChange({ ...value, name: e.target.value })}
        />
      </Row>
      <Row label="is">
        <FormulaField
          label="Formula"
          value={value.formula}
          columns={columns}
          onChange={(formula) => onChange({ ...value, formula })}
        />
      </Row>
      {bands ? (
        <BandsEditor
          columns={columns}
          onWrite={(formula, name) => {
            onChange({ name: value.name === 'column' ? name : value.name, formula });
            setBands(false);
          }}
          onClose={() => setBands(false)}
        />
      ) : (
        <button className="btn self-start" onClick={() => setBands(true)}>
          Classify into bands …
        </button>
      )}
    </div>
  );
}

type Picked = string | { column: string; as: string };

function PickForm({ value, columns, onChange }: FormProps<Picked[]>) {
  const of = (c: Picked) => (typeof c === 'string' ? c : c.column);
  const as = (c: Picked) => (typeof c === 'string' ? c : c.as);
  const left = columns.filter((c) => !value.some((p) => sameName(of(p), c.name)));
  const put = (i: number, name: string) =>
    onChange(
      value.map((p, k) =>
        k === i ? (name === of(p) || name === '' ? of(p) : { column: of(p), as: name }) : p,
      ),
    );
  return (
    <div className="flex flex-col gap-1">
      <ul className="max-h-[230px] overflow-auto" aria-label="Columns">
        {value.map((p, i) => (
          <li key={`${of(p)} ${i}`} className="flex items-center gap-2 py-[1px]">
            <input
              type="checkbox"
              checked
              aria-label={`Keep ${of(p)}`}
              onChange={() => onChange(value.filter((_, k) => k !== i))}
            />
            <span className="w-[150px] truncate">{of(p)}</span>
            <input
              className="field h-[24px] w-[150px]"
              aria-label={`Name of ${of(p)}`}
              defaultValue={as(p)}
              key={as(p)}
              onBlur={(e) => put(i, e.target.value.trim())}
            />
            <button
              className="btn btn-bare h-[24px]"
              disabled={i === 0}
              aria-label={`${of(p)} up`}
              onClick={() =>
                onChange(value.flatMap((x, k) => (k === i - 1 ? [value[i]!, x] : k === i ? [] : [x])))
              }
            >
              Up
            </button>
          </li>
        ))}
      </ul>
      {left.length > 0 && (
        <p className="flex flex-wrap items-center gap-1">
          <span className="text-soft">not included:</span>
          {left.map((c) => (
            <button
              key={c.name}
              className="btn h-[24px]"
              onClick={() => onChange([...value, c.name])}
              title="Save"
            >
              {c.name} <span aria-hidden>+</span>
            </button>
          ))}
        </p>
      )}
    </div>
  );
}

function AggregateForm({
  value,
  columns,
  quantities,
  table,
  onChange,
}: FormProps<{ by: string[]; columns: Record<string, string> }> & {
  quantities: readonly string[];
  table: string;
}) {
  const made = Object.entries(value.columns);
  const put = (list: [string, string][]) => onChange({ ...value, columns: Object.fromEntries(list) });
  const free = quantities.filter((q) => !value.by.includes(q) && !made.some(([name]) => name === q));
  return (
    <div className="flex flex-col gap-2">
      <Checks
        label="one row per"
        names={columns.map((c) => c.name)}
        chosen={value.by}
        onChange={(by) => onChange({ ...value, by })}
      />
      {made.map(([name, formula], i) => (
        <Row key={i} label={i === 0 ? 'with' : ''}>
          <input
            className="field w-[130px]"
            aria-label={`Name of aggregate ${i + 1}`}
            defaultValue={name}
            key={name}
            onBlur={(e) =>
              e.target.value.trim() !== '' &&
              put(made.map((m, k) => (k === i ? [e.target.value.trim(), m[1]] : m)))
            }
          />
          <span>=</span>
          <input
            className="field code min-w-[180px] flex-1"
            aria-label={`Aggregate ${name}`}
            value={formula}
            onChange={(e) => put(made.map((m, k) => (k === i ? [m[0], e.target.value] : m)))}
          />
          <button
            className="btn btn-bare"
            aria-label={`Remove ${name}`}
            onClick={() => put(made.filter((_, k) => k !== i))}
          >
            ×
          </button>
        </Row>
      ))}
      <p className="flex flex-wrap items-center gap-1">
        {free.map((q) => (
          <button
            key={q}
            className="btn h-[24px]"
            onClick={() => put([...made, [q, `sum(${quoteName(q)})`]])}
          >
            sum of {q} <span aria-hidden>+</span>
          </button>
        ))}
        <button
          className="btn h-[24px]"
          onClick={() =>
            put([
              ...made,
              [
                freeName(
                  'rows',
                  made.map(([name]) => ({ name })),
                ),
                `count(${quoteName(table)})`,
              ],
            ])
          }
        >
          number of rows <span aria-hidden>+</span>
        </button>
      </p>
    </div>
  );
}

type Sorted = string | { of: string; order?: 'ascending' | 'descending' };

function SortForm({ value, columns, onChange }: FormProps<Sorted[]>) {
  const of = (s: Sorted) => (typeof s === 'string' ? s : s.of);
  const order = (s: Sorted) => (typeof s === 'string' ? 'ascending' : (s.order ?? 'ascending'));
  const put = (i: number, next: Sorted) => onChange(value.map((s, k) => (k === i ? next : s)));
  const left = columns.filter((c) => !value.some((s) => of(s) === c.name)).map((c) => c.name);
  return (
    <div className="flex flex-col gap-1">
      {value.map((s, i) => (
        <Row key={i} label={i === 0 ? 'by' : 'then by'}>
          <Choice
            label={`Column ${i + 1} to sort by`}
            value={of(s)}
            options={[of(s), ...left].filter(Boolean)}
            onChange={(name) => put(i, { of: name, order: order(s) })}
          />
          <Choice
            label={`Order of ${of(s)}`}
            value={order(s)}
            options={['ascending', 'descending']}
            onChange={(o) => put(i, { of: of(s), order: o as 'ascending' })}
          />
          {value.length > 1 && (
            <button
              className="btn btn-bare"
              aria-label={`Do not sort by ${of(s)}`}
              onClick={() => onChange(value.filter((_, k) => k !== i))}
            >
              ×
            </button>
          )}
        </Row>
      ))}
      {left.length > 0 && (
        <button className="btn h-[24px] self-start" onClick={() => onChange([...value, left[0]!])}>
          Add column <span aria-hidden>+</span>
        </button>
      )}
    </div>
  );
}
