import { WorkPool } from '../threads/pool.ts';
import { programAt } from '../threads/programs.ts';
import type { Tasks } from './list.ts';

/** The threads of the server with its tasks. */
export type Pool = WorkPool<Tasks>;

export const makePool = (onBug?: (error: unknown) => void, readsOnly = false): Pool =>
  new WorkPool<Tasks>(programAt('worker', import.meta.url), onBug, readsOnly);
