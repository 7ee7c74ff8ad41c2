import type { SettleOrder } from '../intake/settle.ts';
import { settle } from '../intake/settle.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

/** Brings rows that have been read to where they belong. */
export const finalize = task((input: { workspace: string; order: SettleOrder }) =>
  settle(new Tables(connection(input.workspace)), input.order),
);
