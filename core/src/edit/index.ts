export * from './edits.ts';
export * from './rename.ts';
