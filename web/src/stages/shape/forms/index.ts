import type { ComponentType } from 'react';
import type { Verb } from '@crease/core/model';
import { AggregateForm } from './AggregateForm.tsx';
import { DeriveForm } from './DeriveForm.tsx';
import { FilterForm } from './FilterForm.tsx';
import { FromForm } from './FromForm.tsx';
import { JoinForm } from './JoinForm.tsx';
import { LookupForm } from './LookupForm.tsx';
import { NumberForm } from './NumberForm.tsx';
import { PickForm } from './PickForm.tsx';
import { PivotForm } from './PivotForm.tsx';
import { SortForm } from './SortForm.tsx';
import type { StepFormProps } from './stepFormProps.ts';
import { UnionForm } from './UnionForm.tsx';
import { UnpivotForm } from './UnpivotForm.tsx';

/** The form of each verb whose step can be changed. */
export const STEP_FORMS: { readonly [V in Verb]?: ComponentType<StepFormProps<V>> } = {
  from: FromForm,
  filter: FilterForm,
  derive: DeriveForm,
  pick: PickForm,
  aggregate: AggregateForm,
  join: JoinForm,
  lookup: LookupForm,
  union: UnionForm,
  unpivot: UnpivotForm,
  pivot: PivotForm,
  sort: SortForm,
  number: NumberForm,
};
