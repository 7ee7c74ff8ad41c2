export * from './domain.ts';
export * from './column.ts';
export * from './table.ts';
export * from './dictionary.ts';
export * from './encodings/index.ts';
export * from './codeStream.ts';
export { withEncoder } from './kernel.ts';
export type { Arena } from './kernel.ts';
export * from './mergeTexts.ts';
