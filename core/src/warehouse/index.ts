export * from './facts.ts';
export * from './judge.ts';
