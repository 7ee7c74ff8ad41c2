import { Choice, Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

type Sorted = string | { of: string; order?: 'ascending' | 'descending' };

export function SortForm({ value, columns, onChange }: StepFormProps<'sort'>) {
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
