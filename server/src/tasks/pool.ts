import { WorkPool } from '../threads/pool.ts';
import type { Tasks } from './list.ts';

/** The threads of the server with its tasks. */
export type Pool = WorkPool<Tasks>;

const isSource = import.meta.url.endsWith('.ts');

export const makePool = (onBug?: (error: unknown) => void): Pool =>
  new WorkPool<Tasks>(new URL(isSource ? './worker.ts' : './worker.mjs', import.meta.url), onBug);
