export * from './files.ts';
export * from './model.ts';
export * from './random.ts';
