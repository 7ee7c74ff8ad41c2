export * from './periods.ts';
export * from './generate.ts';
export * from './hierarchies.ts';
export * from './shared.ts';
