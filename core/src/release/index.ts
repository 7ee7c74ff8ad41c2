export * from './design.ts';
export * from './drawn.ts';
