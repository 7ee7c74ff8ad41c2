import type { ComponentType } from 'react';
import { useModel } from '../../state/model.tsx';
import { STEP_FORMS } from './forms/index.ts';
import type { StepFormProps } from './forms/stepFormProps.ts';
import type { Step } from '@crease/core/model';
import type { StepWork } from './steps.ts';
import { valueOf, isOff, verbOf } from './steps.ts';

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
  const Form = (STEP_FORMS as Readonly<Record<string, ComponentType<StepFormProps<never>> | undefined>>)[
    verb
  ];
  if (!Form) return <p className="text-soft">No settings.</p>;
  return (
    <Form
      value={valueOf(step) as never}
      columns={work.trace?.states[place - 2]?.columns ?? []}
      place={place}
      work={work}
      others={model.tables.filter((t) => t.name !== work.table.name).map((t) => t.name)}
      onChange={(value: unknown) => onChange({ [verb]: value })}
    />
  );
}
