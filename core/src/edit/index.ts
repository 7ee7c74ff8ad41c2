export * from './editError.ts';
export * from './edit.ts';
export * from './edits.ts';
export * from './rename.ts';
