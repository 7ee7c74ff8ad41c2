import { Checks, Choice, Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

/** Values that become columns, one a line; a line `value = column` gives it another name. */
export function PivotForm({ value, columns, onChange }: StepFormProps<'pivot'>) {
  const names = columns.map((c) => c.name);
  const lines = value.into.map((one) => (typeof one === 'string' ? one : `${one.value} = ${one.as}`));
  const read = (text: string) =>
    text
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '')
      .map((line) => {
        const [, from, as] = /^(.+?)\s+=\s+(.+)$/.exec(line) ?? [];
        return from !== undefined && as !== undefined ? { value: from, as } : line;
      });
  return (
    <div className="flex flex-col gap-2">
      <Checks
        label="one row per"
        names={names}
        chosen={value.by}
        onChange={(by) => onChange({ ...value, by })}
      />
      <Row label="names in">
        <Choice
          label="Column of names"
          value={value.name}
          options={names}
          onChange={(name) => onChange({ ...value, name })}
        />
        <span className="text-soft">values in</span>
        <Choice
          label="Column of values"
          value={value.value}
          options={names}
          onChange={(of) => onChange({ ...value, value: of })}
        />
      </Row>
      <Row label="into columns">
        <textarea
          className="field code min-w-[240px]"
          rows={3}
          aria-label="Values that become columns"
          placeholder={'Loans\nVisits = visitors'}
          defaultValue={lines.join('\n')}
          key={lines.join('\n')}
          onBlur={(e) => onChange({ ...value, into: read(e.target.value) })}
        />
      </Row>
    </div>
  );
}
