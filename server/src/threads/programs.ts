import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

/** Where the build puts programs, from a source file of the server two folders below `server`. */
const BUILT = '../../../cli/dist';

/**
 * The module that a thread or a process of its own runs. Built, it lies beside its caller. A caller that runs
 * from source has the one that was built last, in `cli/dist` or the folder that CREASE_PROGRAMS names: a
 * loader of TypeScript in each thread would take seconds.
 */
export function programAt(name: string, caller: string, env: NodeJS.ProcessEnv = process.env): URL {
  if (!caller.endsWith('.ts')) return new URL(`./${name}.cjs`, caller);
  const folder = env.CREASE_PROGRAMS ?? fileURLToPath(new URL(BUILT, caller));
  return pathToFileURL(join(folder, `${name}.cjs`));
}
