import type { Aggregate } from './definition.ts';
import { ofItsArgument } from './definition.ts';

export const latest: Aggregate = {
  name: 'latest',
  parameters: 'x by y',
  documentation: 'x of the row with the greatest y that is not null; of several such rows the greatest x.',
  example: { formula: 'latest(loan.copies by loan.day)', gives: 2 },
  result: ofItsArgument,
};
