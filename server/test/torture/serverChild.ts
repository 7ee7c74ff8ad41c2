import { serve } from '../../src/index.ts';

// A server in a process of its own, which may be killed: tells its address, and its memory when it is asked.

const served = await serve({
  workspace: process.argv[2]!,
  port: 0,
  quiet: true,
  screens: '',
  checksAnswers: true,
});
process.stdout.write(`${served.address}\n`);
process.on('message', (message) => {
  if (message === 'memory') {
    (globalThis as { gc?: () => void }).gc?.();
    const { heapUsed, external } = process.memoryUsage();
    process.send!(heapUsed + external);
  }
  if (message === 'close') void served.close().then(() => process.exit(0));
});
