export * from './mergeRows.ts';
