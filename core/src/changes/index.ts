export * from './impact.ts';
export * from './impactOf.ts';
export * from './diff.ts';
export * from './merge.ts';
export * from './dependents.ts';
