export * from './design.ts';
export * from './drawn.ts';
export * from './readers.ts';
