export * from './schema.ts';
export * from './file.ts';
export * from './names.ts';
export * from './families.ts';
export * from './words.ts';
export * from './claimRefs.ts';
export * from './source.ts';
export * from './steps.ts';
