import { Checks } from '../fields.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function UnionForm({ value, others, onChange }: StepFormProps<'union'>) {
  return <Checks label="Rows of" names={others} chosen={value} onChange={onChange} />;
}
