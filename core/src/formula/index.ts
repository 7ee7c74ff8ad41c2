export * from './source.ts';
export * from './lexer.ts';
export * from './tree.ts';
export * from './parser.ts';
export * from './typed.ts';
export * from './checker.ts';
export * from './scalar.ts';
export * from './functions/index.ts';
