export * from './compile.ts';
export * from './compiled.ts';
export * from './dialect.ts';
export * from './literal.ts';
export * from './sqlite.ts';
export * from './run.ts';
export * from './postgresql.ts';
export * from './rows.ts';
