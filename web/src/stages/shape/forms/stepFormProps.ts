import type { StepArgument, Verb } from '@crease/core/model';
import type { StateColumn } from '../fields.tsx';
import type { StepWork } from '../steps.ts';

/** What the form of a verb gets; `value` is the argument of the step. */
export interface StepFormProps<V extends Verb> {
  readonly value: StepArgument<V>;
  /** Columns before the step. */
  readonly columns: readonly StateColumn[];
  /** Of the step, from 1. */
  readonly place: number;
  readonly work: StepWork;
  /** Other tables of the model, which a step may read. */
  readonly others: readonly string[];
  onChange(value: StepArgument<V>): void;
}
