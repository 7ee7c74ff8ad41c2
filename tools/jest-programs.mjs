// Threads and readers run what was built: it is built anew before the first test, unless whoever begins the run says
// where it lies.
import { spawnSync } from 'node:child_process';
import { resolve } from 'node:path';

export default function buildPrograms({ rootDir }) {
  if (process.env.CREASE_PROGRAMS) return;
  const { status } = spawnSync(
    process.execPath,
    [resolve(rootDir, 'tools/build.mjs'), '--programs', '--quick'],
    {
      stdio: 'inherit',
    },
  );
  if (status !== 0) throw new Error('the programs of threads could not be built');
}
