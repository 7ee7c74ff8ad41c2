import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { WorkPool } from '../src/work/pool.ts';

/** Starts a thread of each kind. From source that takes seconds on a cold machine: it belongs to the set-up, not into a test. */
export async function startThreads(pool: WorkPool, folder: string): Promise<void> {
  const file = join(folder, 'start.csv');
  writeFileSync(file, 'a\n1\n');
  await Promise.all([
    pool.run({ kind: 'preview', file, corrected: {} }),
    pool.load({ kind: 'preview', file, corrected: {} }),
  ]);
}
