export * from './sources.ts';
export * from './csv.ts';
