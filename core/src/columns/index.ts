export * from './domain.ts';
export * from './column.ts';
export * from './table.ts';
export * from './dictionary.ts';
export * from './encodings/index.ts';
