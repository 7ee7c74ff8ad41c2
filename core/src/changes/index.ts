export * from './impact.ts';
export * from './diff.ts';
export * from './merge.ts';
