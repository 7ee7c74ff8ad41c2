export * from './facts.ts';
export * from './judge.ts';
export * from './look.ts';
export * from './rows.ts';
