import type { KeepRule } from '../store/index.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

/** Removes rows of before that a rule does not keep. */
export const prune = task((input: { workspace: string; modelId: number; keep: KeepRule }) =>
  new Tables(connection(input.workspace)).rows.prune(input.modelId, input.keep),
);
