export * from './database.ts';
export * from './loads.ts';
export * from './models.ts';
export * from './settings.ts';
export * from './tables.ts';
export * from './verdicts.ts';
export * from './rowVersions.ts';
export * from './modelVersion.ts';
