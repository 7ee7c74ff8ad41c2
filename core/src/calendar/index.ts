export * from './periods.ts';
export * from './generate.ts';
