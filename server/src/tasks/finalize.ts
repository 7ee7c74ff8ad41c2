import type { FinalizeOrder } from '../intake/finalizeLoad.ts';
import { finalizeLoad } from '../intake/finalizeLoad.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

/** Brings rows that have been read to where they belong. */
export const finalize = task((input: { workspace: string; order: FinalizeOrder }) =>
  finalizeLoad(new Tables(connection(input.workspace)), input.order),
);
