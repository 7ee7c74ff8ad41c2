import { sameName } from '@crease/core/model';
import type { Picked } from '@crease/core/shape';
import type { StepFormProps } from './stepFormProps.ts';

export function PickForm({ value, columns, onChange }: StepFormProps<'pick'>) {
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
              aria-label={`Include ${of(p)}`}
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
              title="Include"
            >
              {c.name} <span aria-hidden>+</span>
            </button>
          ))}
        </p>
      )}
    </div>
  );
}
