import type { Aggregate } from './definition.ts';
import { ofItsArgument } from './definition.ts';

export const min: Aggregate = {
  name: 'min',
  parameters: 'x',
  documentation: 'The least value: of numbers, texts, days or truth values.',
  example: { formula: 'min(loan.day)', gives: '2025-03-02' },
  result: ofItsArgument,
};
