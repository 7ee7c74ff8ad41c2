export * from './correction.ts';
export * from './correct.ts';
