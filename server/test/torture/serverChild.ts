import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { serve } from '../../src/index.ts';
import { startThreads } from '../startThreads.ts';

// A server in a process of its own, which may be killed: tells its address, and its memory when it is asked.

const served = await serve({
  workspace: process.argv[2]!,
  port: 0,
  quiet: true,
  screens: '',
  checksAnswers: true,
});
// From source a thread takes seconds to start: what is asked for is to be under way when the server is
// killed.
const folder = mkdtempSync(join(tmpdir(), 'crease-threads-'));
await startThreads(served.workspace, folder);
rmSync(folder, { recursive: true, force: true });
process.stdout.write(`${served.address}\n`);
process.on('message', (message) => {
  if (message === 'memory') {
    (globalThis as { gc?: () => void }).gc?.();
    const { heapUsed, external } = process.memoryUsage();
    process.send!(heapUsed + external);
  }
  if (message === 'close') void served.close().then(() => process.exit(0));
});
