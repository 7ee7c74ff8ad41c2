export * from './csv.ts';
export * from './answerCsv.ts';
export * from './ddl.ts';
export * from './claimExports.ts';
export { VERSION } from '../version.ts';
export * from './sentence/index.ts';
