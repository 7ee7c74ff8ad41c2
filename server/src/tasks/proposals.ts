import type { Decided, ReferencePattern } from '@crease/core/propose';
import { proposeStar } from '@crease/core/propose';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

type Asked = { readonly pattern?: ReferencePattern | undefined } & Decided & ModelVersion;

/** A draft of stars from the tables. */
export const proposals = task((input: Asked) => ({
  revision: input.revision,
  proposals: proposeStar(dataOf(input), input.pattern, input),
}));
