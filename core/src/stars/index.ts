export * from './ways.ts';
export * from './questions.ts';
export * from './advice.ts';
export * from './dependents.ts';
export * from './days.ts';
export * from './alone.ts';
export * from './factToFact.ts';
