import { quoteName } from '@crease/core/formula';
import { argumentOf, freeName } from '@crease/core/model';
import { Checks, Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function AggregateForm({ value, columns, place, work, onChange }: StepFormProps<'aggregate'>) {
  const quantities = work.trace?.states[place - 2]?.totals.map((t) => t.column) ?? [];
  const table = work.steps[0] ? (argumentOf(work.steps[0], 'from') ?? '') : '';
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
