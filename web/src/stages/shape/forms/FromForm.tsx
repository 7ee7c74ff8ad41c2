import { Choice, Row } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function FromForm({ value, others, onChange }: StepFormProps<'from'>) {
  return (
    <Row label="start from">
      <Choice label="The table to start from" value={value} options={others} onChange={onChange} />
    </Row>
  );
}
