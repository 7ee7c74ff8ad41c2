export * from './diff.ts';
export * from './merge.ts';
