export * from './reach.ts';
export * from './rowIndex.ts';
export * from './match.ts';
