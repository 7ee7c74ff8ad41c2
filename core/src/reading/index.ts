export * from './dialect.ts';
export * from './scanner.ts';
export * from './typing.ts';
export * from './tableReader.ts';
export * from './sample.ts';
