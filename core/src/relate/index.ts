export * from './reach.ts';
export * from './rowIndex.ts';
