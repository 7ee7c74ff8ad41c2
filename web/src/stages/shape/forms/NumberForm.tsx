import { Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function NumberForm({ value, onChange }: StepFormProps<'number'>) {
  return (
    <Row label="Key name">
      <input
        className="field"
        aria-label="Name of the key"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </Row>
  );
}
