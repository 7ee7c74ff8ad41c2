export * from './partition.ts';
export * from './mergeRows.ts';
