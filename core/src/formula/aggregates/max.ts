import type { Aggregate } from './definition.ts';
import { ofItsArgument } from './definition.ts';

export const max: Aggregate = {
  name: 'max',
  parameters: 'x',
  documentation: 'The greatest value: of numbers, texts, days or truth values.',
  example: { formula: 'max(loan.copies)', gives: 4 },
  result: ofItsArgument,
};
