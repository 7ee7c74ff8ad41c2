export * from './types.ts';
export * from './exact.ts';
export * from './dates.ts';
export * from './pattern.ts';
export * from './numberPattern.ts';
export * from './text.ts';
export * from './convert.ts';
export * from './counted.ts';
