import type { Aggregate } from './definition.ts';
import { ofItsArgument } from './definition.ts';

export const only: Aggregate = {
  name: 'only',
  parameters: 'x',
  documentation: 'The value, where exactly one is left that is not null; else null.',
  example: { formula: "only(branch.region) filter (where branch.name = 'Ash')", gives: 'North' },
  result: ofItsArgument,
};
