export * from './app.ts';
export * from './errors.ts';
export * from './serve.ts';
export * from './workspace.ts';
export * from './demo.ts';
export { loadByRecipe, RecipeError } from './intake/loadByRecipe.ts';
export { lockHolder, lockWorkspace } from './workspaceLock.ts';
export type { LockHolder } from './workspaceLock.ts';
