export * from './propose.ts';
export * from './names.ts';
