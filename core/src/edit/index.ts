export * from './editError.ts';
export * from './edits.ts';
export * from './rename.ts';
