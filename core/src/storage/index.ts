export * from './profile.ts';
export * from './weight.ts';
export * from './entropy.ts';
export type { Given } from './determines.ts';
export * from './advice/index.ts';
