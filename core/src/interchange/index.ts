export * from './sources.ts';
export * from './csv.ts';
export * from './ddl.ts';
