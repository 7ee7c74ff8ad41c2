import type { Decided, Proposal, ReferencePattern } from '@crease/core/propose';
import { proposeStar } from '@crease/core/propose';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onFirstRows } from '../grouped/groupedRows.ts';
import { groupedTables } from '../grouped/which.ts';
import { proposalsOnFirstRows, SAMPLED } from '../warehouse/proposals.ts';
import { dataOf, modelOf } from './modelRows.ts';

type Asked = { readonly pattern?: ReferencePattern | undefined } & Decided & ModelVersion;

/** A draft of stars from the tables. */
export const proposals = task(async (input: Asked) => ({
  revision: input.revision,
  proposals: await proposed(input),
}));

async function proposed(input: Asked): Promise<Proposal[]> {
  const { pattern } = input;
  if (groupedTables(modelOf(input.document), input).length === 0)
    return proposeStar(dataOf(input), pattern, input);
  return proposalsOnFirstRows(await onFirstRows(input, SAMPLED), input);
}
