export * from './files.ts';
export * from './model.ts';
