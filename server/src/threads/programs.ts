import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

/**
 * The module that a thread or a process of its own runs: beside its caller, built like it or from source. Run
 * from source, CREASE_PROGRAMS may name the folder of built ones: a loader of TypeScript in each thread takes
 * seconds, and leaves hundreds of files open, which tests that start many threads cannot afford.
 */
export function programAt(name: string, caller: string, env: NodeJS.ProcessEnv = process.env): URL {
  if (!caller.endsWith('.ts')) return new URL(`./${name}.mjs`, caller);
  const built = env.CREASE_PROGRAMS;
  return built ? pathToFileURL(join(built, `${name}.mjs`)) : new URL(`./${name}.ts`, caller);
}
