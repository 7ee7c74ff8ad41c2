import { Row } from '../fields.tsx';
import { FormulaField } from './FormulaField.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function FilterForm({ value, columns, onChange }: StepFormProps<'filter'>) {
  return (
    <Row label="rows where">
      <FormulaField label="Condition" value={value} columns={columns} onChange={onChange} />
    </Row>
  );
}
