export * from './modelData.ts';
export * from './axes.ts';
export * from './answer.ts';
export { aggregateGroups } from './aggregates.ts';
export { Tuples } from './tuples.ts';
export { rowValues, compileRow } from './rowFormula.ts';
export * from './browse.ts';
