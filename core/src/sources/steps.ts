import type { StepsSource } from '../model/index.ts';
import { derivedRows } from '../shape/index.ts';
import type { SourceKind } from './kind.ts';

/** Other tables of the model, shaped step by step. */
export const steps: SourceKind<StepsSource> = {
  field: 'steps',
  place: () => undefined,
  rows: (table, source, setting) => derivedRows(table, source.steps, setting),
  takesSteps: true,
};
