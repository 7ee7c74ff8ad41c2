import { Checks, Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

type Picked = StepFormProps<'unpivot'>['value']['columns'][number];
const nameOf = (c: Picked): string => (typeof c === 'string' ? c : c.column);

export function UnpivotForm({ value, columns, onChange }: StepFormProps<'unpivot'>) {
  return (
    <div className="flex flex-col gap-2">
      <Checks
        label="columns"
        names={columns.map((c) => c.name)}
        chosen={value.columns.map(nameOf)}
        onChange={(chosen) =>
          onChange({
            ...value,
            columns: chosen.map((name) => value.columns.find((c) => nameOf(c) === name) ?? name),
          })
        }
      />
      <Row label="become rows">
        {(['name', 'value'] as const).map((part) => (
          <label key={part} className="flex items-center gap-1">
            {part === 'name' ? 'their names in' : 'their values in'}
            <input
              className="field w-[130px]"
              defaultValue={value[part]}
              key={value[part]}
              onBlur={(e) =>
                e.target.value.trim() !== '' && onChange({ ...value, [part]: e.target.value.trim() })
              }
            />
          </label>
        ))}
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={value.nulls === 'keep'}
            onChange={(e) => {
              const { nulls: _nulls, ...rest } = value;
              onChange(e.target.checked ? { ...rest, nulls: 'keep' } : rest);
            }}
          />
          also where there is no value
        </label>
      </Row>
    </div>
  );
}
