import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Workers } from '../src/intake/loadTable.ts';
import { SharedProgress } from '../src/threads/sharedProgress.ts';

/**
 * Starts a thread of each kind. From source that takes seconds on a cold machine: it belongs to the set-up,
 * not into a test.
 */
export async function startThreads({ pool, readers }: Workers, folder: string): Promise<void> {
  const file = join(folder, 'start.csv');
  writeFileSync(file, 'a\n1\n');
  const shared = new SharedProgress().memory;
  const recode = { file, encoding: 'windows-1252' as const, shared };
  await Promise.all([
    pool.run('transcode', { ...recode, to: join(folder, 'start.1') }),
    pool.load('transcode', { ...recode, to: join(folder, 'start.2') }),
    readers.preview({ file, corrected: {} }),
  ]);
}
